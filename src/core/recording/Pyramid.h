// Least, greatest, first and last of any stretch of a column, in the time of its ends: what lanes are drawn from.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstddef>
#include <limits>
#include <span>
#include <vector>

namespace brusk::recording {

/// What a stretch of samples comes to; NaN where there is no number in it.
struct Stretch {
    float least = std::numeric_limits<float>::quiet_NaN();
    float most = std::numeric_limits<float>::quiet_NaN();
    float first = std::numeric_limits<float>::quiet_NaN();
    float last = std::numeric_limits<float>::quiet_NaN();
    bool any() const { return least <= most; }
};

/// Spans of 16 samples, and of four times as many from level to level: a third more memory than a twelfth of the
/// column's. Immutable. It keeps no samples: those that it was built of are handed to over().
class Pyramid {
  public:
    Pyramid() = default;
    explicit Pyramid(std::span<const float> values);

    /// Of the samples [from, to) of `values`.
    Stretch over(std::span<const float> values, size_t from, size_t to) const;
    /// Of memory.
    size_t bytes() const;

    static constexpr size_t kBase = 16, kFan = 4;

  private:
    std::vector<std::vector<Stretch>> levels_;
};

}  // namespace brusk::recording
