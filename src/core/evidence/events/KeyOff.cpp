// The ignition goes off, and what a controller learned is cleared.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/events/Finders.h"

namespace brusk::evidence::events {

namespace {

/// Whether a mark says that the controller fell silent in a hole: without a key it has no supply.
bool fellSilent(const Sampled& drive, double at_s) {
    const auto& marks = drive.recording().marks;
    return std::any_of(marks.begin(), marks.end(), [&](const recording::Mark& mark) {
        return mark.kind == "gap" && std::abs(mark.at_s - at_s) < spanGap_s(drive.time_s()) &&
               mark.text.find("did not answer") != std::string::npos;
    });
}

}  // namespace

void keyOffs(const Sampled& drive, Found& out) {
    constexpr double kStands_rpm = 20, kRunsDown_s = 3;
    const auto time = drive.time_s();
    const Column speed = drive.columnIfAny("engine_speed");
    const double gap_s = spanGap_s(time);
    double ran_s = -INFINITY;  // when it was last seen to run, since it stood
    for (size_t i = 0; i < time.size(); ++i) {
        const bool ran = ran_s > -INFINITY;
        const bool hole = i > 0 && time[i] - time[i - 1] > gap_s;
        if (ran && hole && (fellSilent(drive, time[i - 1]) || speed[i] < kRuns_rpm)) {
            out.push_back({roles::kKeyOff, time[i - 1], time[i], {}, "the controller fell silent"});
            ran_s = -INFINITY;
        } else if (ran && speed[i] < kStands_rpm) {
            if (time[i] - ran_s < kRunsDown_s) out.push_back({roles::kKeyOff, ran_s, time[i], {}, "the engine stands"});
            ran_s = -INFINITY;
        }
        if (speed[i] > kRuns_rpm) ran_s = time[i];
    }
}

void adaptationResets(const Sampled& drive, Found& out) {
    constexpr double kLearned_pct = 1, kNil_pct = 0.05, kSudden_s = 0.3, kStays_s = 1.5, kNear_pct = 1, kJump_pct = 3;
    const auto time = drive.time_s();
    const Column trim = drive.columnIfAny("long_trim"), cut = drive.columnIfAny("fuel_cut");
    const Column idle = drive.columnIfAny("idle_learned"), octane = drive.columnIfAny("octane_factor");
    size_t before = 0;
    for (size_t i = 1; i < time.size(); ++i) {
        while (time[i] - time[before] > kSudden_s)
            ++before;
        const auto becameNil = [&](Column column, double was) {
            return std::abs(valueAt(column, before)) > was && std::abs(valueAt(column, i)) < kNil_pct;
        };
        // A trim is nil in a cut too, and where a cell acts that learned nothing; what else was learned stays then.
        if (!becameNil(trim, kLearned_pct) || valueAt(cut, i) > 0) continue;
        const bool octaneJumps = std::abs(valueAt(octane, i) - valueAt(octane, before)) > kJump_pct;
        if (!becameNil(idle, kNil_pct) && !octaneJumps) continue;
        const Extent then = extentOf(trim, samplesIn(time, time[i], time[i] + kStays_s));
        if (std::max(std::abs(then.least), std::abs(then.most)) > kNear_pct) continue;
        FoundEvent event{roles::kAdaptationReset, time[before], time[i]};
        event.add("long_trim_pct", valueAt(trim, before));
        out.push_back(std::move(event));
        i = sampleAt(time, time[i] + 1);  // once
    }
}

}  // namespace brusk::evidence::events
