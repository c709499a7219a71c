// The starter turns until the engine runs by itself, and what it does then.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/events/Finders.h"

namespace brusk::evidence::events {

void starts(const Sampled& drive, Found& out) {
    constexpr double kTurns_rpm = 40, kStands_rpm = 20, kHeld_s = 0.5, kAfter_s = 3, kSettles_s = 3, kLongest_s = 30,
                     kFoot_pct = 3;
    const auto time = drive.time_s();
    const Column speed = drive.columnIfAny("engine_speed");
    double stood_s = -1, ran_s = -1;  // last seen to stand, and to run
    const double gap_s = spanGap_s(time);
    // A recording may begin while the starter turns.
    if (!time.empty() && speed[0] < kRuns_rpm) stood_s = time.front();
    for (size_t i = 1; i < time.size(); ++i) {
        if (speed[i] < kStands_rpm) stood_s = time[i];
        if (stood_s < 0 && speed[i] > kRuns_rpm) ran_s = time[i];
        // Who turns it slowly behind a hole had it standing.
        if (stood_s < 0 && time[i] - time[i - 1] > gap_s && speed[i] < kRuns_rpm) stood_s = time[i];
        if (stood_s < 0 || speed[i] < kTurns_rpm) continue;
        // From the last moment it stood; a start that comes to nothing ends where it stands again.
        const double from_s = stood_s;
        size_t k = i;
        double runs_s = -1;
        for (; k < time.size() && time[k] - from_s < kLongest_s && !(speed[k] < kStands_rpm); ++k) {
            if (!(speed[k] > kRuns_rpm)) runs_s = -1;
            if (speed[k] > kRuns_rpm && runs_s < 0) runs_s = time[k];
            if (runs_s >= 0 && time[k] - runs_s >= kHeld_s) break;
        }
        const size_t last = std::min(k, time.size() - 1);
        const bool started = runs_s >= 0 && time[last] - runs_s >= kHeld_s;
        FoundEvent event{roles::kStart, from_s, started ? runs_s + kAfter_s : time[last]};
        event.what = started ? "" : "it did not run";
        event.add("start_s", (started ? runs_s : time[last]) - from_s);
        if (started) {
            const Extent first = extentOf(speed, samplesIn(time, runs_s, runs_s + kAfter_s));
            const Extent then = extentOf(speed, samplesIn(time, runs_s + kAfter_s, runs_s + kAfter_s + kSettles_s));
            // A foot that moves hides it.
            const Extent foot = extentOf(drive.columnIfAny("pedal"), samplesIn(time, runs_s, event.to_s + kSettles_s));
            if (!(foot.most > kFoot_pct)) event.add("flare_rpm", first.most - then.mean);
        }
        event.add("coolant_C", valueAt(drive.columnIfAny("coolant"), i));
        if (ran_s >= 0) event.add("soak_s", from_s - ran_s);
        event.to_s = std::min(event.to_s, time.back());
        out.push_back(std::move(event));
        stood_s = -1;
        i = std::max(i, last);
    }
}

}  // namespace brusk::evidence::events
