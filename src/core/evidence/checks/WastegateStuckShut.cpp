// Boost that goes beyond its target with no duty at all.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/Looks.h"

namespace brusk::evidence::checks {

void wastegateStuckShut(const Looked& at, Found& out) {
    constexpr double kNone_pct = 6, kOver_kPa = 28, kLong_s = 1;
    std::vector<double> over;
    size_t pulls = 0;
    Finding finding;
    for (const Of& pull : eventsOfKind(at, roles::kPull)) {
        const Sampled& drive = at.drives[pull.drive];
        const Column pressure = drive.columnIfAny("manifold_pressure"), target = drive.columnIfAny("boost_target_now");
        const Column duty = drive.columnIfAny("wastegate_duty_now");
        const Span span = samplesIn(drive.time_s(), pull.event->from_s, pull.event->to_s);
        const auto time = drive.time_s();
        const auto over_ = [&](size_t k) { return valueAt(pressure, k) - valueAt(target, k); };
        double most = -INFINITY, with_s = 0;
        for (size_t i = std::max<size_t>(span.begin, 1); i < std::min(span.end, pressure.size()); ++i) {
            most = std::max(most, over_(i));
            if (over_(i) > kOver_kPa && valueAt(duty, i) < kNone_pct) with_s += time[i] - time[i - 1];
        }
        const bool withNone = with_s > kLong_s;
        ++pulls;
        if (!withNone) continue;
        over.push_back(most);
        finding.where.push_back(pull.where());
    }
    if (over.empty() || over.size() * 2 < pulls) return;
    finding.seriousness = Seriousness::Danger;
    finding.certainty = 0.85;
    finding.seen =
        say("finding.wastegate-stuck-shut", "With no duty at all boost goes {0} kPa beyond its target, in {1}.",
            {formatNumber(medianOf(over), 0), countText(over.size(), pulls, "pulls")});
    finding.means = {"the wastegate stays shut, or the spring is too strong",
                     "the wastegate is too small for this exhaust"};
    finding.todo = "Lift. Look at the wastegate before the next pull: only the boost cut protects the engine.";
    finding.place = {"Car", "boost", roles::Role("wastegate_duty")};
    finding.figures = {{"overshoot_kpa", medianOf(over)}};
    finding.lanes = {"manifold_pressure", "boost_target_now", "wastegate_duty_now", "throttle"};
    out.push_back(std::move(finding));
}

}  // namespace brusk::evidence::checks
