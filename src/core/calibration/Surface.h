// A table as a surface over its breakpoints: what it says between them, how it looks on other breakpoints and in other
// units, and how much of its shape is lost that way.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/calibration/Calibration.h"

namespace brusk::calibration {

/// What a table says beyond its last breakpoint.
enum class Outside {
    Clamp,  ///< the last value, as controllers do
    Extend  ///< the last slope goes on
};

/// Position of a value among breakpoints: the index of the one below, and the share of the way to the next. Outside it
/// is held at the end, or goes on beyond it.
struct Position {
    size_t below = 0;
    double share = 0;
};
Position positionOn(const std::vector<double>& breakpoints, double value, Outside outside);

/// A cell, row by row, and its share in what a table says at a place.
struct CellWeight {
    size_t cell = 0;
    double weight = 0;
};
/// The up to four cells that the controller interpolates between at (x, y), held at the ends of the axes; those without
/// weight are left out, the others' weights add up to one. `y` empty: a curve. NaN: none.
std::vector<CellWeight> weightsAt(const std::vector<double>& x, const std::vector<double>& y, double xValue,
                                  double yValue);

/// Bilinear between the four cells around (x, y), in the table's own units.
double surfaceAt(const Table& table, double x, double y, Outside outside = Outside::Clamp);

/// The numbers of `from` on the breakpoints and in the unit of `to`, row by row. An error says why that can't be:
/// another kind, units of other quantities, another number of elements.
[[nodiscard]] Result<std::vector<double>> fitted(const Table& to, const Table& from, Outside outside = Outside::Clamp);

/// How far two surfaces lie apart over a fine grid of what both cover, in the unit of `a`.
struct SurfaceError {
    double largest = 0;
    double rms = 0;
};
SurfaceError surfaceError(const Table& a, const Table& b);

}  // namespace brusk::calibration
