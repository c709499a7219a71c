// Boost that has settled below its target in pulls.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/Spooled.h"

namespace brusk::evidence::checks {

void underboost(const Looked& at, Found& out) {
    constexpr double kShort_kPa = 24;
    std::vector<double> off;
    Finding finding;
    const Spooled spooled = spooledPulls(at);
    for (const Spooled::Pull& pull : spooled.pulls) {
        if (!(pull.off_kPa < -kShort_kPa)) continue;
        off.push_back(-pull.off_kPa);
        finding.where.push_back(pull.where);
    }
    if (spooled.pulls.size() < 2 || off.size() * 2 <= spooled.pulls.size()) return;
    finding.seriousness = Seriousness::Warn;
    finding.certainty = 0.5;
    finding.seen = say("finding.underboost", "Boost stays {0} kPa below its target in {1}.",
                       {formatNumber(medianOf(off), 0), countText(off.size(), spooled.pulls.size(), "pulls")});
    finding.means = {"the wastegate does not shut", "boost leaks out behind the compressor"};
    finding.todo = "Look at wastegate and hoses before the duty is raised: a turbine that can't is driven to its end.";
    finding.place = {"Correct", "boost", roles::Role("wastegate_duty")};
    finding.figures = {{"boost_off_kpa", -medianOf(off)}};
    finding.lanes = {"manifold_pressure", "boost_target_now", "wastegate_duty_now", "throttle"};
    out.push_back(std::move(finding));
}

}  // namespace brusk::evidence::checks
