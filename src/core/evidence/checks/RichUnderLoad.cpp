// Pulls richer than what was asked.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/MixtureUnderLoad.h"

namespace brusk::evidence::checks {

void richUnderLoad(const Looked& at, Found& out) {
    constexpr double kOff_pct = 8;
    const auto off = mixtureOff(at, -1, kOff_pct);
    if (off.where.empty() || !off.shows(kOff_pct)) return;
    Finding finding;
    finding.seriousness = Seriousness::Warn;
    finding.certainty = 0.5;
    finding.seen = say("finding.rich-under-load", "Pulls are {0} % richer than asked, in {1}.",
                       {formatNumber(-medianOf(off.off_pct), 0), countText(off.where.size(), off.pulls, "pulls")});
    finding.means = {"the air is over-estimated under load", "the injectors give more than their scaling says"};
    finding.todo = "Correct the air of these cells.";
    finding.place = {"Correct", "air", roles::Role("ve_map")};
    finding.figures = {{"lean_pct", medianOf(off.off_pct)}};
    finding.where = off.where;
    finding.lanes = {"lambda_measured", "lambda_asked", "manifold_pressure", "injector_duty"};
    out.push_back(std::move(finding));
}

}  // namespace brusk::evidence::checks
