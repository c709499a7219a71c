// Breakpoints found in constant time, and statistics in one pass.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/Cells.h"

#include <algorithm>
#include <array>
#include <cmath>

#include "core/base/Parallel.h"

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
    for (size_t i = 1; i < points_.size(); ++i)
        inverse_.push_back(points_[i] > points_[i - 1] ? 1 / (points_[i] - points_[i - 1]) : 0);
    middles_.push_back(std::numeric_limits<double>::infinity());
    table_.resize(kFine + 1);
    nearTable_.resize(kFine + 1);
    uint16_t interval = 0;
    uint16_t near = 0;
    for (size_t i = 0; i <= kFine; ++i) {
        const double value = points_.front() + static_cast<double>(i) / (scale_ > 0 ? scale_ : 1);
        // A slot stands for all values from its own beginning; it must never name a node too high.
        const double surely = value - span * 1e-12;
        while (interval + 2u < points_.size() && surely > points_[interval + 1u])
            ++interval;
        while (surely > middles_[near])
            ++near;
        table_[i] = interval;
        nearTable_[i] = near;
    }
}

namespace {

/// Of one cell. Sums are kept about the first value, so that the spread does not drown in the mean.
struct Sums {
    double first = 0, sum = 0, squares = 0;
    float least = 0, most = 0, last = 0;
    uint32_t count = 0;

    void add(float v) {
        if (count++ == 0) {
            first = static_cast<double>(v);
            least = most = v;
        }
        const double d = static_cast<double>(v) - first;
        sum += d;
        squares += d * d;
        least = std::min(least, v);
        most = std::max(most, v);
        last = v;
    }
    /// What came behind these.
    void add(const Sums& next) {
        if (next.count == 0) return;
        if (count == 0) {
            *this = next;
            return;
        }
        const double by = next.first - first, n = next.count;
        sum += next.sum + n * by;
        squares += next.squares + 2 * by * next.sum + n * by * by;
        least = std::min(least, next.least);
        most = std::max(most, next.most);
        last = next.last;
        count += next.count;
    }
    CellStat stat() const {
        if (!count) return {};
        const double n = count;
        const double spread = n > 1 ? std::sqrt(std::max(0.0, (squares - sum * sum / n) / (n - 1))) : 0;
        return {count, first + sum / n, spread, least, most, last};
    }
};

}  // namespace

std::vector<CellStat> cellStatistics(const AxisLookup& xAxis, const AxisLookup& yAxis, std::span<const float> x,
                                     std::span<const float> y, std::span<const float> value) {
    const size_t columns = std::max<size_t>(1, xAxis.size());
    const size_t rows = std::max<size_t>(1, yAxis.size());
    std::vector<std::vector<Sums>> chunks((value.size() + kChunk - 1) / kChunk);
    inParallel(chunks.size(), [&](size_t chunk) {
        std::vector<Sums> sums(rows * columns);
        const auto across = xAxis.view(), down = yAxis.view();
        // First where a few samples belong, then all of them there: no sample waits for the place of another.
        struct Found {
            uint32_t cell;
            float value;
        };
        std::array<Found, 128> found;
        const size_t end = std::min(value.size(), (chunk + 1) * kChunk);
        for (size_t i = chunk * kChunk; i < end;) {
            size_t some = 0;
            for (; some < found.size() && i < end; ++i) {
                const auto along = static_cast<double>(x[i]);
                const double below = rows > 1 ? static_cast<double>(y[i]) : 0;
                // Nothing where one of them is no number.
                const float none = (x[i] - x[i]) + (value[i] - value[i]) + static_cast<float>(below - below);
                found[some] = {static_cast<uint32_t>(down.nearest(below) * columns + across.nearest(along)), value[i]};
                some += none == 0;
            }
            for (size_t k = 0; k < some; ++k)
                sums[found[k].cell].add(found[k].value);
        }
        chunks[chunk] = std::move(sums);
    });
    std::vector<CellStat> cells(rows * columns);
    for (size_t k = 0; k < cells.size(); ++k) {
        Sums all;
        for (const auto& chunk : chunks)
            all.add(chunk[k]);
        cells[k] = all.stat();
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
