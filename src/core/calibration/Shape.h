// The shape of a map worked on as a whole: filled between, softened, scaled by factors; and looked over for ridges.
// All distances are between breakpoints, not between indices. Softening chooses among one-sided and central estimates
// by their nearness to the data, the idea of essentially non-oscillatory schemes (Harten and others, 1987).
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/calibration/Calibration.h"

namespace brusk::calibration {

/// A rectangle of cells, both ends included.
struct CellRange {
    size_t top = 0, left = 0, bottom = 0, right = 0;
    size_t rows() const { return bottom - top + 1; }
    size_t columns() const { return right - left + 1; }
    bool operator==(const CellRange&) const = default;
};

enum class Direction { Across, Down, Both };

/// New numbers for the cells between the edges of a range: on the straight line between its first and last column
/// (Across), row (Down), or on the surface through its four corners (Both).
std::vector<CellValue> fillBetween(const Table& table, const CellRange& range, Direction direction);

/// Moves each cell of the range `strength` (0 to 1) of the way to what its neighbours say it should be. A slope of any
/// steepness between unevenly spaced breakpoints stays as it is; a step keeps its edge; a lone spike goes.
std::vector<CellValue> soften(const Table& table, const CellRange& range, double strength);

/// Multiplies the cells by factors given row by row: new = old (1 + strength (factor - 1)). Cells without a factor
/// (NaN) stay.
std::vector<CellValue> applyFactors(const Table& table, const CellRange& range, const std::vector<double>& factors,
                                    double strength);

/// A cell that stands out of the line through its neighbours, more than the stock map does there.
struct Ridge {
    size_t cell = 0;
    bool alongX = true;      ///< the line runs across; false: down
    double height = 0;       ///< physical, how far the cell stands above (or below) that line
    double stockHeight = 0;  ///< the same in the stock map; 0 without one
};
/// The cells an engine would stumble over, worst first. `stock` has the same shape, or is null.
std::vector<Ridge> findRidges(const Table& table, const Table* stock);

}  // namespace brusk::calibration
