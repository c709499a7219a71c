// A condition with a tail, and rings of rows.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/drive/Trigger.h"

#include <algorithm>
#include <cmath>

namespace brusk::drive {
namespace {

constexpr double kRoom = 1.5;  // a sender may be quicker than it says
constexpr size_t kLeastRows = 16;

}  // namespace

Result<Trigger> Trigger::compile(const Arming& arming, const LiveLayout& layout) {
    if (!(arming.before_s >= 0 && arming.before_s <= 600 && arming.after_s >= 0))
        return fail(ErrorCode::OutOfRange, "What is kept from before lies between 0 and 600 s.");
    auto condition = LiveCondition::compile(arming.condition, layout);
    if (!condition) return tl::unexpected(condition.error());
    return Trigger(std::move(*condition), arming.after_s);
}

bool Trigger::step(double time_s, const LiveLayout& layout) {
    if (condition_.step(time_s, layout)) {
        open_ = true;
        held_s_ = time_s;
    } else if (open_ && time_s - held_s_ > after_s_) {
        open_ = false;
    }
    return open_;
}

PreRoll::PreRoll(const recording::Recording& layout, size_t groups, double seconds) : seconds_(seconds) {
    for (size_t g = 0; g < groups; ++g) {
        const recording::Group& group = layout.groups[g];
        const double rate_hz = group.rate_hz > 0 ? group.rate_hz : kUsualRate_hz;
        const auto rows = kLeastRows + static_cast<size_t>(std::ceil(seconds * rate_hz * kRoom));
        Ring& ring = rings_.emplace_back();
        ring.width = group.channels.size();
        ring.time_s.resize(rows);
        ring.values.resize(rows * ring.width);
    }
}

void PreRoll::push(size_t group, double time_s, std::span<const float> values) {
    Ring& ring = rings_[group];
    ring.time_s[ring.next] = time_s;
    std::copy(values.begin(), values.end(), ring.values.begin() + static_cast<long>(ring.next * ring.width));
    ring.next = (ring.next + 1) % ring.time_s.size();
    ring.size = std::min(ring.size + 1, ring.time_s.size());
}

void PreRoll::clear() {
    for (Ring& ring : rings_)
        ring.size = 0;
}

}  // namespace brusk::drive
