// Boost that stays below its target in pulls.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/Looks.h"

namespace brusk::evidence::checks {

void underboost(const Looked& at, Found& out) {
    constexpr double kShort_kPa = 12, kBoosting_kPa = 110;
    const auto pulls = eventsOfKind(at, roles::kPull);
    std::vector<double> off;
    Finding finding;
    size_t asked = 0;
    for (const Of& pull : pulls) {
        const Sampled& drive = at.drives[pull.drive];
        const Column pressure = drive.columnIfAny("manifold_pressure"), target = drive.columnIfAny("boost_target_now");
        // The last third of the pull: whatever spools up has by then.
        const double from_s = pull.event->from_s + 2 * (pull.event->to_s - pull.event->from_s) / 3;
        const Span span = samplesIn(drive.time_s(), from_s, pull.event->to_s);
        const double wanted = extentOf(target, span).mean, is = extentOf(pressure, span).mean;
        if (!(wanted > kBoosting_kPa)) continue;
        ++asked;
        if (!(wanted - is > kShort_kPa)) continue;
        off.push_back(wanted - is);
        finding.where.push_back(pull.where());
    }
    if (asked < 2 || off.size() * 2 <= asked) return;
    finding.seriousness = Seriousness::Warn;
    finding.certainty = 0.8;
    finding.seen = say("finding.underboost", "Boost stays {0} kPa below its target in {1}.",
                       {formatNumber(medianOf(off), 0), countText(off.size(), asked, "pulls")});
    finding.means = {"the wastegate does not shut", "boost leaks out behind the compressor"};
    finding.todo = "Look at wastegate and hoses before the duty is raised: a turbine that can't is driven to its end.";
    finding.place = {"Correct", "boost", roles::Role("wastegate_duty")};
    finding.figures = {{"boost_off_kpa", -medianOf(off)}};
    finding.lanes = {"manifold_pressure", "boost_target_now", "wastegate_duty_now", "throttle"};
    out.push_back(std::move(finding));
}

}  // namespace brusk::evidence::checks
