// Full pedal in one gear while the engine gains speed: what a tuner drives most often, and looks at first.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/events/Finders.h"

namespace brusk::evidence::events {
namespace {

constexpr double kLeast_s = 1.5, kGains_rpm = 300, kSameGear = 0.06;

/// Boost against its target: how much beyond, how long it took, and how far off it stayed.
void addBoost(const Sampled& drive, Span span, FoundEvent& event) {
    constexpr double kBoosting_kPa = 110, kThere = 0.9, kHeld_s = 0.5;
    const auto time = drive.time_s();
    const Column pressure = drive.columnIfAny("manifold_pressure"), target = drive.columnIfAny("boost_target_now");
    const Extent is = extentOf(pressure, span);
    event.add("pressure_peak_kpa", is.most);
    if (target.empty() || !(extentOf(target, span).most > kBoosting_kPa)) return;
    const double from_kPa = valueAt(pressure, span.begin);
    double over = -INFINITY, off = 0, there_s = -1;
    size_t count = 0;
    for (size_t i = span.begin; i < span.end; ++i) {
        const double error = valueAt(pressure, i) - valueAt(target, i);
        if (std::isnan(error)) continue;
        const double wanted = from_kPa + kThere * (valueAt(target, i) - from_kPa);
        if (there_s < 0 && valueAt(pressure, i) >= wanted) there_s = time[i];
        if (there_s < 0) continue;
        over = std::max(over, error);
        if (time[i] - there_s > kHeld_s) off += error, ++count;
    }
    if (there_s < 0) return;
    event.add("rise_s", there_s - event.from_s);
    event.add("overshoot_kpa", over);
    if (count > 0) event.add("boost_off_kpa", off / static_cast<double>(count));
}

/// What was asked of the mixture, what came, and when enrichment did.
void addMixture(const Sampled& drive, Span span, FoundEvent& event) {
    constexpr double kRich = 0.95, kSettled_s = 1;
    const auto time = drive.time_s();
    const Column asked = drive.columnIfAny("lambda_asked"), measured = drive.columnIfAny("lambda_measured");
    // The second half, by when walls, sensor and enrichment have settled.
    const double settled_s = std::max(event.from_s + kSettled_s, (event.from_s + event.to_s) / 2);
    const Span later = samplesIn(time, settled_s, event.to_s);
    event.add("lambda_asked", extentOf(asked, later).mean);
    event.add("lambda_measured", extentOf(measured, later).mean);
    event.add("lambda_leanest", extentOf(measured, later).most);
    for (size_t i = span.begin; i < std::min(span.end, asked.size()); ++i)
        if (asked[i] < kRich) {
            event.add("enriched_s", time[i] - event.from_s);
            break;
        }
}

}  // namespace

void pulls(const Sampled& drive, Found& out) {
    const auto time = drive.time_s();
    const Column speed = drive.columnIfAny("engine_speed"), road = drive.columnIfAny("vehicle_speed");
    const Column pedal = drive.columnIfAny("pedal");
    const double down = fullPedal_pct(pedal);
    double ratio = 0;
    const auto oneGear = [&](size_t i, bool first) {
        if (road.empty() || !(road[i] > 5)) return true;
        const double now = valueAt(speed, i) / valueAt(road, i);
        if (first || ratio == 0) ratio = now;
        return std::abs(now - ratio) < kSameGear * ratio;
    };
    for (const Span& foot : spansWhere(
             time, [&](size_t i) { return pedal[i] > down; }, kLeast_s, 0.1))
        for (size_t begin = foot.begin; begin < foot.end;) {
            size_t end = begin;
            ratio = 0;
            while (end < foot.end && oneGear(end, end == begin))
                ++end;
            const Span span{begin, end};
            begin = std::max(end, begin + 1);
            if (time[span.end - 1] - time[span.begin] < kLeast_s) continue;
            if (valueAt(speed, span.end - 1) - valueAt(speed, span.begin) < kGains_rpm) continue;
            FoundEvent event{roles::kPull, time[span.begin], time[span.end - 1]};
            const Extent gear = extentOf(drive.columnIfAny("gear"), span);
            event.add("gear", gear.most);
            event.add("from_rpm", valueAt(speed, span.begin));
            event.add("to_rpm", extentOf(speed, span).most);
            addBoost(drive, span, event);
            addMixture(drive, span, event);
            event.add("coolant_C", extentOf(drive.columnIfAny("coolant"), span).mean);
            event.add("knock_retard_deg", extentOf(drive.columnIfAny("knock_retard"), span).most);
            const Column charge = drive.columnIfAny("charge_temperature"),
                         intake = drive.columnIfAny("intake_temperature");
            const Column& air = charge.empty() ? intake : charge;
            event.add("charge_rise_K", extentOf(air, span).most - valueAt(air, span.begin));
            event.add("duty_pct", extentOf(drive.columnIfAny("injector_duty"), span).most);
            const Extent fuel = extentOf(drive.columnIfAny("fuel_pressure"), span);
            event.add("fuel_pressure_falls_kpa", fuel.most - fuel.least);
            out.push_back(std::move(event));
        }
}

}  // namespace brusk::evidence::events
