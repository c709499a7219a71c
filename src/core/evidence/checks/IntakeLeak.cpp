// Air that gets in past the meter: the meter lacks the same flow everywhere, pressure knows it.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/Looks.h"
#include "core/evidence/checks/Shared.h"

namespace brusk::evidence::checks {

void intakeLeak(const Looked& at, Found& out) {
    const MixtureBlame& blame = blameOf(at);
    const double chance = blame.chanceOf({Suspect::Id::IntakeLeak});
    if (chance < kBlamed) return;
    constexpr double kPerGram_s = 3.6;
    const double leak_gs = blame.of(Suspect::Id::IntakeLeak).alone / kPerGram_s;
    const double least_kgh = std::min_element(blame.cells.begin(), blame.cells.end(), [](const auto& a, const auto& b) {
                                 return a.flow_kgh < b.flow_kgh;
                             })->flow_kgh;
    Finding finding;
    finding.seriousness = Seriousness::Warn;
    finding.certainty = certaintyOf(chance);
    finding.seen =
        say("finding.intake-leak", "About {0} g/s of air come past the meter: {1} % of what idle draws.",
            {formatNumber(leak_gs, 1), formatNumber(100 * std::min(1.0, leak_gs * kPerGram_s / least_kgh), 0)});
    finding.means = {"air gets in behind the throttle", "the meter reads too little at low flow"};
    finding.todo = "Look for the leak at gaskets and hoses with the engine idling; the meter's curve is not at fault.";
    finding.place = {"Car", "", std::nullopt};
    finding.figures = {{"leak_gs", leak_gs}};
    finding.where = whereBlamed(at);
    for (const Stretch& where : finding.where)
        finding.taints.push_back({"meter_airflow", where});
    finding.lanes = {"meter_airflow", "airflow", "short_trim", "engine_speed"};
    finding.notApart = blame.notApartFrom({Suspect::Id::IntakeLeak});
    out.push_back(std::move(finding));
}

}  // namespace brusk::evidence::checks
