// An idle that swings by itself.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/Looks.h"

namespace brusk::evidence::checks {

void idleHunts(const Looked& at, Found& out) {
    constexpr double kSwings_rpm = 35, kLeast_s = 10, kSettles_s = 4, kWarm_C = 60, kOften_hz = 0.2;
    std::vector<double> swings;
    constexpr double kWhile_s = 20;
    double long_s = 0;
    size_t idles = 0;
    Finding finding;
    for (const Of& idle : eventsOfKind(at, roles::kIdle)) {
        const Sampled& drive = at.drives[idle.drive];
        const size_t i = sampleAt(drive.time_s(), idle.event->from_s);
        if (idle.event->to_s - idle.event->from_s < kLeast_s || valueAt(drive.columnIfAny("coolant"), i) < kWarm_C)
            continue;
        ++idles;
        // What comes from higher speed has settled by then.
        const Span settled = samplesIn(drive.time_s(), idle.event->from_s + kSettles_s, idle.event->to_s);
        const double swing = 1.4 * extentOf(drive.columnIfAny("engine_speed"), settled).spread;
        if (!(swing > kSwings_rpm) || !(idle.event->figure("swings_hz") > kOften_hz)) continue;
        swings.push_back(swing);
        long_s += idle.event->to_s - idle.event->from_s;
        finding.where.push_back(idle.where());
    }
    if (swings.size() < (long_s > kWhile_s ? 1 : 2) || swings.size() * 2 <= idles) return;
    finding.seriousness = Seriousness::Warn;
    finding.certainty = 0.5;
    finding.seen = say("finding.idle-hunts", "The idle swings by {0} rpm, in {1}.",
                       {formatNumber(medianOf(swings), 0), countText(swings.size(), idles, "stretches of idle")});
    finding.means = {"the idle control's gains are too high for this engine", "the base air is far off"};
    finding.todo = "Put the base air right first, then the integral part, then the proportional one.";
    finding.place = {"Correct", "idle", roles::Role("idle_i")};
    finding.figures = {{"swing_rpm", medianOf(swings)}};
    finding.lanes = {"engine_speed", "idle_target", "idle_integral", "spark"};
    out.push_back(std::move(finding));
}

}  // namespace brusk::evidence::checks
