// Pulls leaner than what was asked.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/MixtureUnderLoad.h"

namespace brusk::evidence::checks {

void leanUnderLoad(const Looked& at, Found& out) {
    constexpr double kOff_pct = 10.5;  // what fuel, filling and a healthy wideband make off together lies below
    constexpr double kDanger_pct = 12;
    const auto off = mixtureOff(at, 1, kOff_pct);
    if (off.where.empty() || !off.shows(kOff_pct)) return;
    Finding finding;
    finding.seriousness = medianOf(off.off_pct) > kDanger_pct ? Seriousness::Danger : Seriousness::Warn;
    finding.certainty = 0.5;
    finding.seen = say("finding.lean-under-load", "Pulls are {0} % leaner than asked, in {1}.",
                       {formatNumber(medianOf(off.off_pct), 0), countText(off.where.size(), off.pulls, "pulls")});
    finding.means = {"the air is under-estimated under load", "fuel pressure falls with the flow"};
    finding.todo =
        "Lift; correct the air of these cells before the next pull, and look whether it grows with the flow.";
    finding.place = {"Correct", "air", roles::Role("ve_map")};
    finding.figures = {{"lean_pct", medianOf(off.off_pct)}};
    finding.where = off.where;
    finding.lanes = {"lambda_measured", "lambda_asked", "manifold_pressure", "injector_duty"};
    out.push_back(std::move(finding));
}

}  // namespace brusk::evidence::checks
