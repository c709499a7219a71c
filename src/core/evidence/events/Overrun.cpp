// Fuel is cut while the car rolls, and comes back.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/events/Finders.h"

namespace brusk::evidence::events {

void overruns(const Sampled& drive, Found& out) {
    constexpr double kRolls_kmh = 3, kTurns_rpm = 1100, kFoot_pct = 5, kLeast_s = 0.3, kAfter_s = 1.5;
    const auto time = drive.time_s();
    const Column cut = drive.columnIfAny("fuel_cut"), road = drive.columnIfAny("vehicle_speed");
    const Column speed = drive.columnIfAny("engine_speed"), pedal = drive.columnIfAny("pedal");
    const auto rolls = [&](size_t i) {
        if (!(cut[i] > 0) || valueAt(pedal, i) > kFoot_pct) return false;
        return road.empty() ? speed[i] > kTurns_rpm : road[i] > kRolls_kmh;
    };
    for (const Span& span : spansWhere(time, rolls, kLeast_s)) {
        FoundEvent event{roles::kOverrun, time[span.begin], time[span.end - 1]};
        event.add("length_s", event.to_s - event.from_s);
        event.add("from_rpm", valueAt(speed, span.begin));
        event.add("to_rpm", valueAt(speed, span.end - 1));
        event.add("lambda_most", extentOf(drive.columnIfAny("lambda_measured"), span).most);
        addMixtureAreas(drive, event.to_s, event.to_s + kAfter_s, event);
        // How far the speed falls below where fuel came back, before it is caught.
        const Extent after = extentOf(speed, samplesIn(time, event.to_s, event.to_s + kAfter_s));
        event.add("dip_rpm", valueAt(speed, span.end - 1) - after.least);
        out.push_back(std::move(event));
    }
}

}  // namespace brusk::evidence::events
