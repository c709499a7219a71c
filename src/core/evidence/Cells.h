// Statistics of samples in the cells of a map: each sample goes to its nearest node.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <limits>
#include <span>
#include <vector>

namespace brusk::evidence {

/// Finds the breakpoint interval of a value without searching: a fine table from value to interval.
class AxisLookup {
  public:
    /// `points` must rise; fewer than two give one cell for everything.
    explicit AxisLookup(std::vector<double> points);

    struct Place {
        uint32_t index = 0;  ///< lower node
        float fraction = 0;  ///< 0 to 1 towards the upper node; held at the ends
    };
    /// What a look takes, for a loop that keeps it in registers. Lives as long as the axis.
    class View {
      public:
        Place locate(double value) const {
            if (!(value > first_)) return {};
            if (value >= last_) return {intervals_ - 1, 1.0f};
            uint32_t i = table_[slotOf(value)];
            while (value >= points_[i + 1])
                ++i;
            return {i, static_cast<float>((value - points_[i]) * inverse_[i])};
        }
        uint32_t nearest(double value) const {
            if (!(value > first_)) return 0;
            if (value >= last_) return intervals_;
            uint32_t i = nearTable_[slotOf(value)];
            while (value >= middles_[i])
                ++i;
            return i;
        }

      private:
        friend class AxisLookup;
        /// Of a value between the first and the last point. By way of an int, which is one instruction.
        size_t slotOf(double value) const { return static_cast<size_t>(static_cast<int>((value - first_) * scale_)); }

        double first_ = std::numeric_limits<double>::infinity(), last_ = 0, scale_ = 0;
        uint32_t intervals_ = 0;
        const double *points_ = nullptr, *middles_ = nullptr, *inverse_ = nullptr;
        const uint16_t *table_ = nullptr, *nearTable_ = nullptr;
    };
    View view() const;

    Place locate(double value) const { return view().locate(value); }
    /// The node nearest to a value; without a division.
    uint32_t nearest(double value) const { return view().nearest(value); }
    size_t size() const { return points_.size(); }
    const std::vector<double>& points() const { return points_; }

  private:
    std::vector<double> points_;
    std::vector<double> middles_;      ///< between neighbouring points, and one that nothing reaches
    std::vector<double> inverse_;      ///< of each interval's width; 0 for one without
    std::vector<uint16_t> table_;      ///< slot to interval
    std::vector<uint16_t> nearTable_;  ///< slot to the node nearest to its beginning
    double scale_ = 0;
};

inline AxisLookup::View AxisLookup::view() const {
    View out;
    if (points_.size() < 2) return out;
    out.first_ = points_.front(), out.last_ = points_.back(), out.scale_ = scale_;
    out.intervals_ = static_cast<uint32_t>(points_.size() - 1);
    out.points_ = points_.data(), out.middles_ = middles_.data(), out.inverse_ = inverse_.data();
    out.table_ = table_.data(), out.nearTable_ = nearTable_.data();
    return out;
}

/// Between the four nodes around a place, of `columns` by `rows`.
template <class Values>
double bilinear(const Values& nodes, size_t columns, size_t rows, const AxisLookup::Place& x,
                const AxisLookup::Place& y) {
    const auto u = static_cast<double>(x.fraction), v = static_cast<double>(y.fraction);
    const size_t k = y.index * columns + x.index, right = columns > 1 ? 1 : 0, below = rows > 1 ? columns : 0;
    return (1 - v) * ((1 - u) * nodes[k] + u * nodes[k + right]) +
           v * ((1 - u) * nodes[k + below] + u * nodes[k + right + below]);
}

struct CellStat {
    uint32_t count = 0;
    double mean = 0;
    double spread = 0;  ///< standard deviation
    float least = 0;
    float most = 0;
    float last = 0;
};

/// Work on many samples goes in chunks of so many, side by side. The same samples give the same numbers on any machine:
/// chunks do not depend on the number of processors, and what they give is joined in order.
constexpr size_t kChunk = size_t{1} << 18;

/// rows x columns statistics (a row is one y node); one pass over the samples. NaN values are left out.
std::vector<CellStat> cellStatistics(const AxisLookup& xAxis, const AxisLookup& yAxis, std::span<const float> x,
                                     std::span<const float> y, std::span<const float> value);

/// Root mean square of (mean - 1) over cells with at least `least` samples, as a share; the count of such cells beside
/// it.
struct FuelError {
    double rms = 0;
    size_t cells = 0;
};
FuelError fuelError(const std::vector<CellStat>& cells, uint32_t least);

}  // namespace brusk::evidence
