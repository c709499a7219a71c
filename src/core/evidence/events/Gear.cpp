// Changes of gear, and a clutch that opens and shuts again, from engine and road speed alone.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/Text.h"
#include "core/evidence/events/Finders.h"

namespace brusk::evidence::events {
namespace {

constexpr double kLongest_s = 5, kOther = 0.08, kOpens_s = 0.2;

}  // namespace

void gears(const Sampled& drive, Found& out) {
    const auto time = drive.time_s();
    const Column speed = drive.columnIfAny("engine_speed"), gear = drive.columnIfAny("gear");
    const auto stretches = inOneGear(drive);
    for (size_t k = 1; k < stretches.size(); ++k) {
        const InGear &was = stretches[k - 1], &is = stretches[k];
        const double from_s = time[was.span.end - 1], to_s = time[is.span.begin];
        if (to_s - from_s > kLongest_s || std::abs(is.ratio / was.ratio - 1) < kOther) continue;
        FoundEvent event{roles::kGear, from_s, to_s};
        event.what = is.ratio < was.ratio ? "up" : "down";
        if (!gear.empty())
            event.what += " from " + formatNumber(extentOf(gear, was.span).most, 0) + " to " +
                          formatNumber(extentOf(gear, is.span).most, 0);
        event.add("took_s", to_s - from_s);
        event.add("drop_rpm", valueAt(speed, was.span.end - 1) - valueAt(speed, is.span.begin));
        event.add("ratio", is.ratio / was.ratio);
        out.push_back(std::move(event));
    }
}

void clutches(const Sampled& drive, Found& out) {
    const auto time = drive.time_s();
    const auto stretches = inOneGear(drive);
    for (size_t k = 1; k < stretches.size(); ++k) {
        const InGear &was = stretches[k - 1], &is = stretches[k];
        const double from_s = time[was.span.end - 1], to_s = time[is.span.begin];
        if (to_s - from_s > kLongest_s || std::abs(is.ratio / was.ratio - 1) >= kOther) continue;
        // The drift of a measured speed ends a stretch too: a clutch that opened leaves a hole.
        if (to_s - from_s < kOpens_s) continue;
        FoundEvent event{roles::kClutch, from_s, to_s};
        event.add("took_s", to_s - from_s);
        out.push_back(std::move(event));
    }
}

}  // namespace brusk::evidence::events
