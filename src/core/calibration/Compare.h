// Two calibrations held against each other, of one definition or of two, parameter by parameter and cell by cell.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/calibration/Calibration.h"

namespace brusk::calibration {

/// A parameter that differs.
struct Difference {
    const definition::Parameter* parameter = nullptr;  ///< of a
    const definition::Parameter* other = nullptr;      ///< of b
    size_t cells = 0;                                  ///< how many cells differ
    double largest = 0;                                ///< the difference of the greatest size, b - a, physical
    bool resampled = false;  ///< breakpoints or unit differ: b was brought onto a's before it was compared
};

struct Comparison {
    std::vector<Difference> differences;                ///< in the order of a's definition
    std::vector<const definition::Parameter*> onlyInA;  ///< b's definition has no such parameter
    std::vector<const definition::Parameter*> onlyInB;
    struct Unlike {
        const definition::Parameter* parameter = nullptr;
        std::string why;
    };
    std::vector<Unlike> notComparable;
    size_t same = 0;
};

/// The parameter of `there` that means the same as `parameter`: the same name, or else the same role.
const definition::Parameter* counterpart(const definition::Definition& there, const definition::Parameter& parameter);

[[nodiscard]] Comparison compareAll(const Calibration& a, const Calibration& b);
/// Only what differs.
[[nodiscard]] std::vector<Difference> compare(const Calibration& a, const Calibration& b);

/// b's numbers of one parameter as a would show them, and which cells differ by more than a's rounding.
struct CellDifferences {
    std::vector<double> other;
    std::vector<char> differs;
    std::string text;  ///< of a text parameter, or the words of a switch
    bool resampled = false;
    size_t cells = 0;
    double largest = 0;
};
[[nodiscard]] Result<CellDifferences> compareCells(const Table& a, const Table& b);

}  // namespace brusk::calibration
