// Breakpoints found in constant time, and statistics in one pass.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/Cells.h"

#include <algorithm>
#include <cmath>

namespace brusk::evidence {

namespace {
constexpr size_t kFine = 2048;  // slots of the look-up table; a slot that a breakpoint crosses is settled by comparing
}

AxisLookup::AxisLookup(std::vector<double> points) : points_(std::move(points)) {
    if (points_.size() < 2) return;
    const double span = points_.back() - points_.front();
    scale_ = span > 0 ? kFine / span : 0;
    for (size_t i = 1; i < points_.size(); ++i)
        middles_.push_back((points_[i - 1] + points_[i]) / 2);
    table_.resize(kFine + 1);
    nearTable_.resize(kFine + 1);
    uint16_t interval = 0;
    uint16_t near = 0;
    for (size_t i = 0; i <= kFine; ++i) {
        const double value = points_.front() + static_cast<double>(i) / (scale_ > 0 ? scale_ : 1);
        while (interval + 2u < points_.size() && value >= points_[interval + 1u])
            ++interval;
        // A slot stands for all values from its own beginning; it must never name a node too high.
        while (near < middles_.size() && value * (1 - 1e-12) > middles_[near])
            ++near;
        table_[i] = interval;
        nearTable_[i] = near;
    }
}

AxisLookup::Place AxisLookup::locate(double value) const {
    if (points_.size() < 2 || !(value > points_.front())) return {};
    const auto last = static_cast<uint32_t>(points_.size() - 2);
    if (value >= points_.back()) return {last, 1.0f};
    uint32_t i = table_[static_cast<size_t>((value - points_.front()) * scale_)];
    while (i < last && value >= points_[i + 1])
        ++i;
    while (i > 0 && value < points_[i])
        --i;
    const double width = points_[i + 1] - points_[i];
    return {i, static_cast<float>(width > 0 ? (value - points_[i]) / width : 0)};
}

std::vector<CellStat> cellStatistics(const AxisLookup& xAxis, const AxisLookup& yAxis, std::span<const float> x,
                                     std::span<const float> y, std::span<const float> value) {
    const size_t columns = std::max<size_t>(1, xAxis.size());
    const size_t rows = std::max<size_t>(1, yAxis.size());
    std::vector<CellStat> cells(rows * columns);
    // Sums are kept about the first value of each cell, so that the spread does not drown in the mean.
    struct Sums {
        double first = 0, sum = 0, squares = 0;
        float least = 0, most = 0, last = 0;
        uint32_t count = 0;
    };
    std::vector<Sums> sums(cells.size());
    for (size_t i = 0; i < value.size(); ++i) {
        const float v = value[i];
        if (!std::isfinite(v) || !std::isfinite(x[i]) || (rows > 1 && !std::isfinite(y[i]))) continue;
        const size_t row = rows > 1 ? yAxis.nearest(y[i]) : 0;
        Sums& s = sums[row * columns + xAxis.nearest(x[i])];
        if (s.count++ == 0) {
            s.first = v;
            s.least = s.most = v;
        }
        const double d = v - s.first;
        s.sum += d;
        s.squares += d * d;
        s.least = std::min(s.least, v);
        s.most = std::max(s.most, v);
        s.last = v;
    }
    for (size_t k = 0; k < cells.size(); ++k) {
        const Sums& s = sums[k];
        if (!s.count) continue;
        const double n = s.count;
        const double spread = n > 1 ? std::sqrt(std::max(0.0, (s.squares - s.sum * s.sum / n) / (n - 1))) : 0;
        cells[k] = {s.count, s.first + s.sum / n, spread, s.least, s.most, s.last};
    }
    return cells;
}

FuelError fuelError(const std::vector<CellStat>& cells, uint32_t least) {
    FuelError out;
    double sum = 0;
    for (const CellStat& cell : cells) {
        if (cell.count < least || cell.count == 0) continue;
        sum += (cell.mean - 1) * (cell.mean - 1);
        ++out.cells;
    }
    if (out.cells) out.rms = std::sqrt(sum / static_cast<double>(out.cells));
    return out;
}

}  // namespace brusk::evidence
