// The foot goes down, or lifts, quickly.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/events/Finders.h"

namespace brusk::evidence::events {
namespace {

constexpr double kAfter_s = 1.5;

void add(const Sampled& drive, int direction, Found& out) {
    constexpr double kHalf = 0.5;
    const auto time = drive.time_s();
    const Column pedal = drive.columnIfAny("pedal"), pressure = drive.columnIfAny("manifold_pressure");
    const Column speed = drive.columnIfAny("engine_speed");
    for (const Span& step : pedalSteps(drive, direction)) {
        if (!speed.empty() && !(speed[step.begin] > kRuns_rpm)) continue;
        const double from_s = time[step.begin];
        FoundEvent event{direction > 0 ? roles::kTipIn : roles::kTipOut, from_s,
                         std::min(time[step.end - 1] + kAfter_s, time.back())};
        event.add("step_pct", valueAt(pedal, step.end - 1) - valueAt(pedal, step.begin));
        event.add("engine_rpm", valueAt(speed, step.begin));
        addMixtureAreas(drive, from_s, event.to_s, event);
        // How long it takes until half of what comes has come.
        const Span after = samplesIn(time, from_s, event.to_s);
        if (!pressure.empty() && after.end > after.begin) {
            const double was = valueAt(pressure, step.begin), is = valueAt(pressure, after.end - 1);
            for (size_t i = after.begin; i < after.end; ++i)
                if (direction * (is - was) > 0 &&
                    direction * (valueAt(pressure, i) - was) >= kHalf * direction * (is - was)) {
                    event.add("response_s", time[i] - from_s);
                    break;
                }
        }
        out.push_back(std::move(event));
    }
}

}  // namespace

void tipIns(const Sampled& drive, Found& out) {
    add(drive, 1, out);
}

void tipOuts(const Sampled& drive, Found& out) {
    add(drive, -1, out);
}

}  // namespace brusk::evidence::events
