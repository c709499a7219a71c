// Fuel that comes besides the injectors: rich where little flows, right where much does.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/Blame.h"
#include "core/evidence/checks/Looks.h"
#include "core/evidence/checks/Models.h"

namespace brusk::evidence::checks {

void purgeSuspected(const Looked& at, Found& out) {
    Blamed blamed = blameOf(at);
    const Models& models = modelsOf(at);
    constexpr double kRich = -0.05;
    const bool withAir = models.blame == Models::Blame::LeakIn && models.bends < kRich;
    if (blamed.cause != Blamed::Cause::FuelBesides && !withAir) return;
    if (withAir) blamed.atLowFlow = std::exp(models.bends) - 1, blamed.atHighFlow = 0;
    Finding finding;
    finding.seriousness = Seriousness::Warn;
    finding.certainty = 0.6;
    finding.seen =
        say("finding.purge-suspected",
            "The loop takes {0} % away at idle's airflow and {1} % at high flow: fuel comes besides the injectors.",
            {formatNumber(-100 * blamed.atLowFlow, 0), formatNumber(-100 * blamed.atHighFlow, 0)});
    finding.means = {"vapour from the canister, its valve stays open",
                     "the injectors' dead time is too long in the bytes"};
    finding.todo = "Close the canister's hose and drive again before dead times or air are corrected.";
    finding.place = {"Car", "injector", roles::Role("injector_dead_time")};
    finding.figures = {{"short_trim_pct", 100 * blamed.atLowFlow}};
    finding.where = wholeDrives(at);
    for (const Stretch& where : finding.where)
        finding.taints.push_back({"short_trim", where});
    finding.lanes = {"short_trim", "long_trim", "purge_duty_now", "airflow"};
    out.push_back(std::move(finding));
}

}  // namespace brusk::evidence::checks
