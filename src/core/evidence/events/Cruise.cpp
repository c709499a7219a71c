// A steady drive: road speed and foot hardly move.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/events/Finders.h"

namespace brusk::evidence::events {
namespace {

/// Least and most of a column while it is walked along.
struct Band {
    float least = INFINITY, most = -INFINITY;
    bool take(float v, float widest) {
        least = std::min(least, v), most = std::max(most, v);
        return most - least <= widest;
    }
};

}  // namespace

void cruises(const Sampled& drive, Found& out) {
    // A foot that holds a speed over small slopes works by some per cent.
    constexpr float kSpeed_kmh = 3, kFoot_pct = 10, kRolls_kmh = 15;
    constexpr double kLeast_s = 8;
    const auto time = drive.time_s();
    const Column road = drive.columnIfAny("vehicle_speed"), pedal = drive.columnIfAny("pedal");
    const Column cut = drive.columnIfAny("fuel_cut");
    const double gap_s = spanGap_s(time);
    for (size_t i = 0; i < time.size();) {
        Band speed, foot;
        size_t end = i;
        while (end < time.size() && road[end] > kRolls_kmh && !(valueAt(cut, end) > 0) &&
               (end == i || time[end] - time[end - 1] <= gap_s) && speed.take(road[end], kSpeed_kmh) &&
               foot.take(pedal[end], kFoot_pct))
            ++end;
        if (end == i || time[end - 1] - time[i] < kLeast_s) {
            // Half a second on: what is not steady from here may be from there.
            constexpr double kStep_s = 0.5;
            const double next_s = time[i] + kStep_s;
            while (i < time.size() && time[i] < next_s)
                ++i;
            continue;
        }
        const Span span{i, end};
        FoundEvent event{roles::kCruise, time[i], time[end - 1]};
        const auto mean = [&](std::string_view id, roles::Role role) {
            event.add(id, extentOf(drive.columnIfAny(role), span).mean);
        };
        mean("vehicle_kmh", "vehicle_speed");
        mean("engine_rpm", "engine_speed");
        mean("pressure_kpa", "manifold_pressure");
        mean("short_trim_pct", "short_trim");
        mean("long_trim_pct", "long_trim");
        mean("lambda", "lambda_measured");
        const Extent gear = extentOf(drive.columnIfAny("gear"), span);
        if (gear.least == gear.most) event.add("gear", gear.mean);
        out.push_back(std::move(event));
        i = end;
    }
}

}  // namespace brusk::evidence::events
