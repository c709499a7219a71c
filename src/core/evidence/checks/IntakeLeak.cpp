// Air that gets in past the meter: the meter lacks the same flow everywhere, pressure knows it.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/Looks.h"
#include "core/evidence/checks/Models.h"

namespace brusk::evidence::checks {

void intakeLeak(const Looked& at, Found& out) {
    const Models& models = modelsOf(at);
    constexpr double kRich = -0.05;
    // Rich where little flows: what comes in is not air alone.
    if (models.blame != Models::Blame::LeakIn || models.bends < kRich) return;
    Finding finding;
    finding.seriousness = Seriousness::Warn;
    finding.certainty = 0.85;
    finding.seen = say("finding.intake-leak", "About {0} g/s of air come past the meter: {1} % of what idle draws.",
                       {formatNumber(models.leak_gs, 1), formatNumber(100 * models.atIdle, 0)});
    finding.means = {"air gets in behind the throttle", "the meter reads too little at low flow"};
    finding.todo = "Look for the leak at gaskets and hoses with the engine idling; the meter's curve is not at fault.";
    finding.place = {"Car", "", std::nullopt};
    finding.figures = {{"leak_gs", models.leak_gs}};
    finding.where = wholeDrives(at);
    for (const Stretch& where : finding.where)
        finding.taints.push_back({"meter_airflow", where});
    finding.lanes = {"meter_airflow", "airflow", "short_trim", "engine_speed"};
    out.push_back(std::move(finding));
}

}  // namespace brusk::evidence::checks
