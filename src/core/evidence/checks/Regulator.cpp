// Mixture that goes with the manifold pressure as fuel pressure against it would.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/Looks.h"
#include "core/evidence/checks/Shared.h"

namespace brusk::evidence::checks {

void regulator(const Looked& at, Found& out) {
    const MixtureBlame& blame = blameOf(at);
    const double chance = blame.chanceOf({Suspect::Id::Rail});
    if (chance < kBlamed) return;
    const auto [least, most] =
        std::minmax_element(blame.cells.begin(), blame.cells.end(),
                            [](const auto& a, const auto& b) { return a.pressure_kPa < b.pressure_kPa; });
    const double atLeast = std::exp(blame.showsIn(*least, Suspect::Id::Rail, false)) - 1,
                 atMost = std::exp(blame.showsIn(*most, Suspect::Id::Rail, false)) - 1;
    Finding finding;
    finding.seriousness = Seriousness::Warn;
    finding.certainty = certaintyOf(chance);
    finding.seen =
        say("finding.regulator",
            "The mixture goes with the manifold's pressure: {0} % too rich at {1} kPa, {2} % leaner at {3} kPa.",
            {formatNumber(-100 * atLeast, 0), formatNumber(least->pressure_kPa, 0),
             formatNumber(100 * (atMost - atLeast), 0), formatNumber(most->pressure_kPa, 0)});
    finding.means = {"the fuel pressure does not follow the manifold", "the air map is wrong along pressure"};
    finding.todo = "Look at the regulator's hose; else tell the sheet that the regulator is to the weather.";
    finding.place = {"Car", "injector", roles::Role("injector_flow")};
    finding.figures = {{"lean_pct", 100 * (atMost - atLeast)}};
    finding.where = whereBlamed(at);
    finding.lanes = {"manifold_pressure", "short_trim", "long_trim", "lambda_measured"};
    finding.notApart = blame.notApartFrom({Suspect::Id::Rail});
    out.push_back(std::move(finding));
}

}  // namespace brusk::evidence::checks
