// What the recording says by itself: marks of all kinds, and samples that are missing.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/events/Finders.h"

namespace brusk::evidence::events {
namespace {

void add(const Sampled& drive, roles::Event kind, std::initializer_list<std::string_view> marked, Found& out) {
    for (const auto& mark : drive.recording().marks)
        if (std::find(marked.begin(), marked.end(), mark.kind) != marked.end())
            out.push_back({kind, mark.at_s, mark.at_s, {}, mark.text});
}

}  // namespace

void codes(const Sampled& drive, Found& out) {
    add(drive, roles::kCode, {"code"}, out);
}

void marks(const Sampled& drive, Found& out) {
    // Other programs call theirs otherwise, or nothing.
    add(drive, roles::kMark, {"mark", "marker", "trigger", ""}, out);
}

void guards(const Sampled& drive, Found& out) {
    add(drive, roles::kGuard, {"guard"}, out);
}

void refuels(const Sampled& drive, Found& out) {
    add(drive, roles::kRefuel, {"refuel"}, out);
}

void gaps(const Sampled& drive, Found& out) {
    const auto& marks = drive.recording().marks;
    const auto time = drive.time_s();
    const double period_s = time.size() > 1 ? 1 / std::max(recording::nominalRate(time), 0.01) : 0;
    constexpr double kPeriods = 3.5;
    for (size_t i = 1; i < time.size(); ++i) {
        if (time[i] - time[i - 1] <= kPeriods * period_s) continue;
        FoundEvent event{roles::kGap, time[i - 1], time[i]};
        event.add("length_s", event.to_s - event.from_s);
        for (const auto& mark : marks)
            if (mark.kind == "gap" && std::abs(mark.at_s - event.from_s) < kSpanGap_s) event.what = mark.text;
        out.push_back(std::move(event));
    }
}

}  // namespace brusk::evidence::events
