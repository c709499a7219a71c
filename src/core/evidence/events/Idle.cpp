// The engine idles, and something joins or leaves its belt meanwhile.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/events/Finders.h"

namespace brusk::evidence::events {
namespace {

constexpr double kStands_kmh = 3, kLowRevs_rpm = 1500, kFootUp_pct = 1.5, kLeast_s = 3;

/// Where idle control says so, else where the foot is up, the car stands and the engine turns slowly.
std::vector<Span> idling(const Sampled& drive) {
    const Column active = drive.columnIfAny("idle_active"), road = drive.columnIfAny("vehicle_speed");
    const Column pedal = drive.columnIfAny("pedal"), throttle = drive.columnIfAny("throttle");
    const Column speed = drive.columnIfAny("engine_speed");
    const Column& foot = pedal.empty() ? throttle : pedal;
    const double closed = pedal.empty() ? extentOf(throttle, {0, throttle.size()}).least : 0;
    return spansWhere(
        drive.time_s(),
        [&](size_t i) {
            if (!road.empty() && !(road[i] < kStands_kmh)) return false;
            if (!(speed[i] > kRuns_rpm)) return false;
            if (!active.empty()) return active[i] > 0;
            return speed[i] < kLowRevs_rpm && !foot.empty() && valueAt(foot, i) < closed + kFootUp_pct;
        },
        kLeast_s);
}

/// Half the swing of the speed about its own mean over two seconds, at its greatest, and how often a second it swings.
void addHunting(const Sampled& drive, Span span, FoundEvent& event) {
    constexpr double kWindow_s = 2;
    const auto time = drive.time_s();
    const Column speed = drive.columnIfAny("engine_speed");
    double swing = 0;
    size_t crossings = 0;
    const double mean = extentOf(speed, span).mean;
    for (size_t i = span.begin + 1; i < span.end; ++i)
        crossings += (speed[i] > mean) != (speed[i - 1] > mean);
    for (double at_s = time[span.begin]; at_s + kWindow_s <= time[span.end - 1]; at_s += kWindow_s / 2)
        swing = std::max(swing, extentOf(speed, samplesIn(time, at_s, at_s + kWindow_s)).range() / 2);
    event.add("swing_rpm", swing);
    event.add("swings_hz", static_cast<double>(crossings) / 2 / (time[span.end - 1] - time[span.begin]));
}

}  // namespace

void idles(const Sampled& drive, Found& out) {
    constexpr double kSettles_s = 1;
    const auto time = drive.time_s();
    const Column speed = drive.columnIfAny("engine_speed"), target = drive.columnIfAny("idle_target");
    for (const Span& whole : idling(drive)) {
        FoundEvent event{roles::kIdle, time[whole.begin], time[whole.end - 1]};
        const Span span = samplesIn(time, event.from_s + kSettles_s, event.to_s);
        const Extent is = extentOf(speed, span);
        event.add("mean_rpm", is.mean);
        event.add("spread_rpm", is.spread);
        event.add("off_rpm", is.mean - extentOf(target, span).mean);
        addHunting(drive, span, event);
        const auto mean = [&](std::string_view id, roles::Role role) {
            event.add(id, extentOf(drive.columnIfAny(role), span).mean);
        };
        mean("air_pct", "idle_air_now");
        mean("integral_pct", "idle_integral");
        mean("learned_pct", "idle_learned");
        mean("spark_deg", "spark");
        mean("coolant_C", "coolant");
        out.push_back(std::move(event));
    }
}

void idleLoads(const Sampled& drive, Found& out) {
    constexpr double kBefore_s = 1, kAfter_s = 5, kBack_rpm = 30, kStays_s = 0.5;
    const auto time = drive.time_s();
    const Column speed = drive.columnIfAny("engine_speed"), fan = drive.columnIfAny("fan");
    for (const Span& idle : idling(drive))
        for (size_t i = idle.begin + 1; i < idle.end; ++i) {
            if (std::isnan(fan[i]) || std::isnan(fan[i - 1]) || fan[i] == fan[i - 1]) continue;
            const double at_s = time[i];
            if (at_s - time[idle.begin] < kBefore_s) continue;
            FoundEvent event{roles::kIdleLoad, at_s, std::min(at_s + kAfter_s, time[idle.end - 1])};
            event.what = fan[i] > fan[i - 1] ? "fan on" : "fan off";
            const double before = extentOf(speed, samplesIn(time, at_s - kBefore_s, at_s)).mean;
            const Span after = samplesIn(time, at_s, event.to_s);
            event.add("dip_rpm", before - extentOf(speed, after).least);
            // Back when it has stayed near where it was.
            double back_s = -1;
            for (size_t k = after.begin; k < after.end; ++k) {
                if (std::abs(valueAt(speed, k) - before) > kBack_rpm)
                    back_s = -1;
                else if (back_s < 0)
                    back_s = time[k];
                if (back_s >= 0 && time[k] - back_s >= kStays_s) break;
            }
            if (back_s >= 0) event.add("recovery_s", back_s - at_s);
            out.push_back(std::move(event));
        }
}

}  // namespace brusk::evidence::events
