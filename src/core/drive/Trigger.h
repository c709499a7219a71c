// Armed recording: rows are kept while a condition holds, and some seconds from before it.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/drive/LiveLayout.h"

namespace brusk::drive {

/// When a recording that is armed takes rows.
struct Arming {
    std::string condition;  ///< an expression, as "held(<pedal> > 80 %, 0.3 s)"
    double before_s = 5;    ///< kept from before it holds
    double after_s = 1;     ///< goes on for so long when it holds no more
};

/// Follows the condition: between stretches, or in one.
class Trigger {
  public:
    [[nodiscard]] static Result<Trigger> compile(const Arming& arming, const LiveLayout& layout);
    /// Whether the row at this time is one to keep.
    bool step(double time_s, const LiveLayout& layout);
    bool open() const { return open_; }

  private:
    Trigger(LiveCondition condition, double after_s) : condition_(std::move(condition)), after_s_(after_s) {}
    LiveCondition condition_;
    double after_s_;
    double held_s_ = 0;  ///< when the condition held last
    bool open_ = false;
};

/// The newest rows of some groups, for so many seconds; in room that is taken once.
class PreRoll {
  public:
    PreRoll(const recording::Recording& layout, size_t groups, double seconds);
    void push(size_t group, double time_s, std::span<const float> values);
    void clear();

    /// Hands over the rows of a group that are at most so many seconds older than `now_s`, oldest first, and forgets
    /// them.
    template <class Take>
    void drain(size_t group, double now_s, Take take) {
        Ring& ring = rings_[group];
        for (size_t i = ring.size; i > 0; --i) {
            const size_t at = (ring.next + ring.time_s.size() - i) % ring.time_s.size();
            if (now_s - ring.time_s[at] <= seconds_)
                take(ring.time_s[at], std::span(ring.values).subspan(at * ring.width, ring.width));
        }
        ring.size = 0;
    }

  private:
    struct Ring {
        size_t width = 0, next = 0, size = 0;
        std::vector<double> time_s;
        std::vector<float> values;
    };
    double seconds_;
    std::vector<Ring> rings_;
};

}  // namespace brusk::drive
