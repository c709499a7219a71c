// Cells as text for spreadsheets: tab-separated, a line a row, with or without their breakpoints.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "core/calibration/Shape.h"

namespace brusk::calibration {

/// Numbers with as many decimals as the table shows, the decimal sign as given. With breakpoints the first row holds x
/// and the first column y, the corner stays empty (of a curve: two rows).
std::string toTabbed(const Table& table, const CellRange& range, bool withBreakpoints, char decimalSign);

/// Numbers from a spreadsheet, row by row.
struct TabbedNumbers {
    size_t rows = 0, columns = 0;
    std::vector<double> values;  ///< NaN for an empty field
    std::vector<double> x, y;    ///< breakpoints, when the text has them: an empty corner tells
};
/// Reads tab-separated numbers; either decimal sign is understood where it is clear. An error names row and column.
[[nodiscard]] Result<TabbedNumbers> fromTabbed(std::string_view text, char decimalSign);

}  // namespace brusk::calibration
