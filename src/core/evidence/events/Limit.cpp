// Limits that were hit, limp mode, and a throttle that closes under full pedal.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/events/Finders.h"

namespace brusk::evidence::events {
namespace {

constexpr double kBridge_s = 0.3;

}  // namespace

void limits(const Sampled& drive, Found& out) {
    constexpr double kAsked_pct = 30;
    const auto time = drive.time_s();
    const Column speed = drive.columnIfAny("engine_speed"), pedal = drive.columnIfAny("pedal");
    const Column cut = drive.columnIfAny("fuel_cut"), boost = drive.columnIfAny("boost_cut_now");
    const auto underFoot = [&](size_t i) { return valueAt(cut, i) > 0 && valueAt(pedal, i) > kAsked_pct; };
    const auto boosted = [&](size_t i) { return valueAt(boost, i) > 0; };
    for (const Span& span : spansWhere(
             time, [&](size_t i) { return underFoot(i) || boosted(i); }, 0, kBridge_s)) {
        FoundEvent event{roles::kLimit, time[span.begin], time[span.end - 1]};
        event.what = boosted(span.begin) ? "boost" : "fuel cut under the foot";
        event.add("engine_rpm", extentOf(speed, span).most);
        event.add("pressure_kpa", extentOf(drive.columnIfAny("manifold_pressure"), span).most);
        out.push_back(std::move(event));
    }
}

void limps(const Sampled& drive, Found& out) {
    const auto time = drive.time_s();
    const Column limp = drive.columnIfAny("limp_mode");
    for (const Span& span : spansWhere(
             time, [&](size_t i) { return limp[i] > 0; }, 0, kBridge_s)) {
        FoundEvent event{roles::kLimp, time[span.begin], time[span.end - 1]};
        event.add("length_s", event.to_s - event.from_s);
        out.push_back(std::move(event));
    }
}

void throttleCloses(const Sampled& drive, Found& out) {
    constexpr double kOpens_s = 0.5, kLeast_s = 0.3, kShare = 0.8, kLeast_pct = 15, kFalls = 0.85, kEases_pct = 3;
    const auto time = drive.time_s();
    const Column pedal = drive.columnIfAny("pedal"), throttle = drive.columnIfAny("throttle");
    const Column pressure = drive.columnIfAny("manifold_pressure");
    const double down = fullPedal_pct(pedal);
    const auto full = spansWhere(
        time, [&](size_t i) { return pedal[i] > down; }, kOpens_s + kLeast_s, 0.1);
    // Open is what it reaches under full pedal anywhere in the drive.
    double open = 0;
    for (const Span& span : full)
        open = std::max(open, extentOf(throttle, span).most);
    if (open < kLeast_pct) return;
    for (const Span& span : full) {
        const double from_s = time[span.begin] + kOpens_s;
        // A throttle that is larger than its engine moves, and nothing follows: the air has to fall with it. A foot
        // that eases asks for less.
        const double most_kPa = extentOf(pressure, span).most, foot_pct = extentOf(pedal, span).most;
        const auto closing = [&](size_t i) {
            return i >= span.begin && i < span.end && time[i] >= from_s && throttle[i] < kShare * open &&
                   pedal[i] > foot_pct - kEases_pct && !(valueAt(pressure, i) > kFalls * most_kPa);
        };
        for (const Span& closed : spansWhere(time.first(span.end), closing, kLeast_s)) {
            FoundEvent event{roles::kThrottleCloses, time[closed.begin], time[closed.end - 1]};
            event.add("throttle_pct", extentOf(throttle, closed).least);
            event.add("engine_rpm", valueAt(drive.columnIfAny("engine_speed"), closed.begin));
            event.add("pressure_kpa", extentOf(drive.columnIfAny("manifold_pressure"), closed).most);
            out.push_back(std::move(event));
        }
    }
}

}  // namespace brusk::evidence::events
