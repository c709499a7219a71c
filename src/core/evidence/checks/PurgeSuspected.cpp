// Fuel that comes besides the injectors: rich where little flows, right where much does.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/Looks.h"
#include "core/evidence/checks/Shared.h"

namespace brusk::evidence::checks {

void purgeSuspected(const Looked& at, Found& out) {
    const MixtureBlame& blame = blameOf(at);
    const double chance = blame.chanceOf({Suspect::Id::Vapour});
    if (chance < kBlamed) return;
    const auto [least, most] = std::minmax_element(
        blame.cells.begin(), blame.cells.end(), [](const auto& a, const auto& b) { return a.flow_kgh < b.flow_kgh; });
    const double atLowFlow = std::exp(blame.showsIn(*least, Suspect::Id::Vapour, false)) - 1,
                 atHighFlow = std::exp(blame.showsIn(*most, Suspect::Id::Vapour, false)) - 1;
    Finding finding;
    finding.seriousness = Seriousness::Warn;
    finding.certainty = certaintyOf(chance);
    finding.seen =
        say("finding.purge-suspected",
            "The loop takes {0} % away at idle's airflow and {1} % at high flow: fuel comes besides the injectors.",
            {formatNumber(-100 * atLowFlow, 0), formatNumber(-100 * atHighFlow, 0)});
    finding.means = {"vapour from the canister, its valve stays open",
                     "the injectors' dead time is too long in the bytes"};
    finding.todo = "Close the canister's hose and drive again before dead times or air are corrected.";
    finding.place = {"Car", "injector", roles::Role("injector_dead_time")};
    finding.figures = {{"short_trim_pct", 100 * atLowFlow}};
    finding.where = whereBlamed(at);
    finding.lanes = {"short_trim", "long_trim", "purge_duty_now", "airflow"};
    finding.notApart = blame.notApartFrom({Suspect::Id::Vapour});
    out.push_back(std::move(finding));
}

}  // namespace brusk::evidence::checks
