// Statistics of samples in the cells of a map: each sample goes to its nearest node.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
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
    Place locate(double value) const;
    /// The node nearest to a value; without a division.
    uint32_t nearest(double value) const {
        if (middles_.empty() || !(value > points_.front())) return 0;
        if (value >= points_.back()) return static_cast<uint32_t>(middles_.size());
        uint32_t i = nearTable_[static_cast<size_t>((value - points_.front()) * scale_)];
        while (i < middles_.size() && value >= middles_[i])
            ++i;
        return i;
    }
    size_t size() const { return points_.size(); }
    const std::vector<double>& points() const { return points_; }

  private:
    std::vector<double> points_;
    std::vector<double> middles_;      ///< between neighbouring points
    std::vector<uint16_t> table_;      ///< slot to interval
    std::vector<uint16_t> nearTable_;  ///< slot to the node nearest to its beginning
    double scale_ = 0;
};

struct CellStat {
    uint32_t count = 0;
    double mean = 0;
    double spread = 0;  ///< standard deviation
    float least = 0;
    float most = 0;
    float last = 0;
};

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
