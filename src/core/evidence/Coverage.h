// Where on a map the engine has been, and for how long.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <algorithm>
#include <vector>

#include "core/evidence/Cells.h"

namespace brusk::evidence {

/// Seconds spent at each node of a map (row by row; a row is one y node), from a live series of moments.
class Coverage {
  public:
    Coverage(std::vector<double> x, std::vector<double> y)
        : x_(std::move(x)),
          y_(std::move(y)),
          seconds_(std::max<size_t>(1, x_.size()) * std::max<size_t>(1, y_.size())) {}

    /// The engine is at (x, y) now; the time since the moment before counts for this node. A pause of more than
    /// `kLongest_s` counts as that much only.
    void add(double time_s, double x, double y) {
        if (last_s_ >= 0)
            seconds_[y_.nearest(y) * std::max<size_t>(1, x_.size()) + x_.nearest(x)] +=
                std::clamp(time_s - last_s_, 0.0, kLongest_s);
        last_s_ = time_s;
    }
    const std::vector<double>& seconds() const { return seconds_; }

    static constexpr double kLongest_s = 2;

  private:
    AxisLookup x_;
    AxisLookup y_;
    std::vector<double> seconds_;
    double last_s_ = -1;
};

}  // namespace brusk::evidence
