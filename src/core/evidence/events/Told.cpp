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
    constexpr double kNear_s = 0.5;
    const auto& recording = drive.recording();
    for (const auto& group : recording.groups) {
        // The group whose clock all questions are asked on.
        if (group.time_s.empty() || group.time_s.times().data() != drive.time_s().data()) continue;
        for (const auto& gap : recording::gapsOf(group)) {
            FoundEvent event{roles::kGap, gap.from_s, gap.to_s};
            event.add("length_s", event.to_s - event.from_s);
            for (const auto& mark : recording.marks)
                if (mark.kind == "gap" && std::abs(mark.at_s - event.from_s) < kNear_s) event.what = mark.text;
            out.push_back(std::move(event));
        }
    }
}

}  // namespace brusk::evidence::events
