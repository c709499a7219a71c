// The last sample not after a moment, for whoever walks along a recording.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <algorithm>
#include <cstddef>
#include <span>

namespace brusk::recording {

/// Keeps its place in a rising column of times: a step for moments that follow each other, a search for one far away.
class Follower {
  public:
    static constexpr size_t kNone = static_cast<size_t>(-1);

    Follower() = default;
    explicit Follower(std::span<const double> time_s) : time_s_(time_s) {}

    /// Index of the last time not after `t`; kNone before the first.
    size_t at(double t) {
        constexpr int kSteps = 8;
        for (int step = 0; step < kSteps; ++step) {
            if (next_ < time_s_.size() && time_s_[next_] <= t)
                ++next_;
            else if (next_ > 0 && time_s_[next_ - 1] > t)
                --next_;
            else
                return next_ - 1;  // kNone where nothing was yet
        }
        next_ = static_cast<size_t>(std::upper_bound(time_s_.begin(), time_s_.end(), t) - time_s_.begin());
        return next_ - 1;
    }
    /// The same; the first where there is none. For columns that are not empty.
    size_t orFirst(double t) {
        const size_t i = at(t);
        return i == kNone ? 0 : i;
    }

  private:
    std::span<const double> time_s_;
    size_t next_ = 0;  ///< the first that is later
};

}  // namespace brusk::recording
