// Idle that settles beside its target.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/Looks.h"

namespace brusk::evidence::checks {

void idleOff(const Looked& at, Found& out) {
    constexpr double kOff_rpm = 60, kLong_s = 6;
    Finding finding;
    std::vector<double> off;
    size_t idles = 0;
    for (const Of& idle : eventsOfKind(at, roles::kIdle)) {
        const double by = idle.event->figure("off_rpm");
        if (std::isnan(by) || idle.event->to_s - idle.event->from_s < kLong_s) continue;
        ++idles;
        if (!(std::abs(by) > kOff_rpm)) continue;
        off.push_back(by);
        finding.where.push_back(idle.where());
    }
    if (off.empty() || off.size() * 2 <= idles) return;
    const double by = medianOf(off);
    finding.seriousness = Seriousness::Warn;
    finding.certainty = 0.5;
    finding.seen = say(
        "finding.idle-off", "The engine idles {0} rpm {1} its target, in {2}.",
        {formatNumber(std::abs(by), 0), by > 0 ? "above" : "below", countText(off.size(), idles, "stretches of idle")});
    finding.means = {by > 0 ? "the base air of idle is too much" : "the base air of idle is too little",
                     by > 0 ? "air leaks in behind the throttle" : "a load that the controller does not know"};
    finding.todo = "Correct the air of idle; if it must go far, look for the air's own way in first.";
    finding.place = {"Correct", "idle", roles::Role("idle_air")};
    finding.figures = {{"off_rpm", by}};
    finding.lanes = {"engine_speed", "idle_target", "idle_air_now", "idle_integral"};
    out.push_back(std::move(finding));
}

}  // namespace brusk::evidence::checks
