// Boost that no duty raises.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/Spooled.h"

namespace brusk::evidence::checks {

void wastegateStuckOpen(const Looked& at, Found& out) {
    constexpr double kFull_pct = 75, kOfMost = 0.97, kShort_kPa = 15;
    double mostDuty_pct = 0;
    for (size_t d = 0; d < at.drives.size(); ++d) {
        const Column duty = at.drives[d].columnIfAny("wastegate_duty_now");
        mostDuty_pct = std::max(mostDuty_pct, extentOf(duty, {0, duty.size()}).most);
    }
    const Spooled spooled = spooledPulls(at);
    std::vector<double> missing;
    Finding finding;
    for (const Spooled::Pull& pull : spooled.pulls)
        if (pull.off_kPa < -kShort_kPa && pull.duty_pct > std::min(kFull_pct, kOfMost * mostDuty_pct)) {
            missing.push_back(-pull.off_kPa);
            finding.where.push_back(pull.where);
        }
    if (missing.size() < 2 || missing.size() * 2 <= spooled.pulls.size()) return;
    finding.seriousness = Seriousness::Warn;
    finding.certainty = 0.9;
    finding.seen =
        say("finding.wastegate-stuck-open", "With the duty at its end boost settles {0} kPa below its target, in {1}.",
            {formatNumber(medianOf(missing), 0), countText(missing.size(), spooled.pulls.size(), "pulls")});
    finding.means = {"the wastegate stays open, or its hose is off", "boost leaks out behind the compressor"};
    finding.todo = "Look at the wastegate's rod and hose; a duty map can't close what is stuck.";
    finding.place = {"Car", "boost", roles::Role("wastegate_duty")};
    finding.figures = {{"boost_off_kpa", -medianOf(missing)}};
    finding.lanes = {"manifold_pressure", "boost_target_now", "wastegate_duty_now", "throttle"};
    out.push_back(std::move(finding));
}

}  // namespace brusk::evidence::checks
