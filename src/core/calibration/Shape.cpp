// Softening, filling and ridges over a table's own distances.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/calibration/Shape.h"

#include <algorithm>
#include <cmath>

namespace brusk::calibration {
namespace {

/// Where a row or column stands; by its index where there are no breakpoints, or they do not rise.
double placeOf(const AxisValues& axis, size_t i) {
    return i < axis.values.size() ? axis.values[i] : static_cast<double>(i);
}

double shareBetween(const AxisValues& axis, size_t first, size_t last, size_t i) {
    const double span = placeOf(axis, last) - placeOf(axis, first);
    if (last == first) return 0;
    return span != 0 ? (placeOf(axis, i) - placeOf(axis, first)) / span
                     : static_cast<double>(i - first) / static_cast<double>(last - first);
}

/// Three neighbours on one line: the one before, the cell, the one behind, with their distances.
struct Triple {
    double before, at, behind;
    double near, far;  ///< distance to the one before, to the one behind
    double line() const { return (before * far + behind * near) / (near + far); }
};

/// The triple through a cell along x or y; nothing at an edge or where breakpoints do not rise.
bool tripleAt(const Table& t, size_t row, size_t column, bool alongX, Triple& out) {
    const size_t i = alongX ? column : row;
    const size_t count = alongX ? t.columns : t.rows;
    if (i == 0 || i + 1 >= count) return false;
    const AxisValues& axis = alongX ? t.x : t.y;
    out.near = placeOf(axis, i) - placeOf(axis, i - 1);
    out.far = placeOf(axis, i + 1) - placeOf(axis, i);
    if (!(out.near > 0) || !(out.far > 0)) return false;
    out.at = t.at(row, column);
    out.before = alongX ? t.at(row, column - 1) : t.at(row - 1, column);
    out.behind = alongX ? t.at(row, column + 1) : t.at(row + 1, column);
    return true;
}

/// The middle one of the sizes; 0 of none.
double median(std::vector<double> values) {
    if (values.empty()) return 0;
    const auto middle = values.begin() + static_cast<long>(values.size() / 2);
    std::nth_element(values.begin(), middle, values.end());
    return *middle;
}

/// How far cells usually stand off the line through their neighbours: the noise that softening may take away.
double usualHeight(const Table& t, bool alongX) {
    std::vector<double> heights;
    Triple k;
    for (size_t r = 0; r < t.rows; ++r)
        for (size_t c = 0; c < t.columns; ++c)
            if (tripleAt(t, r, c, alongX, k)) heights.push_back(std::abs(k.at - k.line()));
    return median(std::move(heights));
}

/// The line through the two cells before (step -1) or behind (+1), carried on to this one.
bool carriedOn(const Table& t, size_t row, size_t column, bool alongX, int step, double& out) {
    const auto i = static_cast<long>(alongX ? column : row);
    const auto count = static_cast<long>(alongX ? t.columns : t.rows);
    if (i + 2 * step < 0 || i + 2 * step >= count) return false;
    const AxisValues& axis = alongX ? t.x : t.y;
    const auto value = [&](long k) {
        return alongX ? t.at(row, static_cast<size_t>(k)) : t.at(static_cast<size_t>(k), column);
    };
    const double near = placeOf(axis, static_cast<size_t>(i + step)),
                 far = placeOf(axis, static_cast<size_t>(i + 2 * step));
    if (near == far) return false;
    const double here = placeOf(axis, static_cast<size_t>(i));
    out = value(i + step) + (value(i + step) - value(i + 2 * step)) / (near - far) * (here - near);
    return true;
}

/// What the cells along one axis say: those before, those behind, and the line between. Whoever is nearer to the cell
/// as it is has more weight, so that a cell beside a step follows its own side.
double estimate(const Table& t, size_t row, size_t column, bool alongX, const Triple& k, double usual) {
    const double floor = usual * usual + 1e-24;
    double sum = 0, weights = 0;
    const auto hear = [&](double says) {
        const double weight = 1 / (floor + (says - k.at) * (says - k.at));
        sum += weight * says;
        weights += weight;
    };
    hear(k.line());
    double says = 0;
    for (const int step : {-1, 1})
        if (carriedOn(t, row, column, alongX, step, says)) hear(says);
    return sum / weights;
}

}  // namespace

std::vector<CellValue> fillBetween(const Table& t, const CellRange& range, Direction direction) {
    std::vector<CellValue> out;
    for (size_t r = range.top; r <= range.bottom; ++r)
        for (size_t c = range.left; c <= range.right; ++c) {
            const double u = shareBetween(t.x, range.left, range.right, c);
            const double v = shareBetween(t.y, range.top, range.bottom, r);
            const auto mix = [](double a, double b, double share) { return a + share * (b - a); };
            double value = 0;
            if (direction == Direction::Across)
                value = mix(t.at(r, range.left), t.at(r, range.right), u);
            else if (direction == Direction::Down)
                value = mix(t.at(range.top, c), t.at(range.bottom, c), v);
            else
                value = mix(mix(t.at(range.top, range.left), t.at(range.top, range.right), u),
                            mix(t.at(range.bottom, range.left), t.at(range.bottom, range.right), u), v);
            out.push_back({r * t.columns + c, value});
        }
    return out;
}

std::vector<CellValue> soften(const Table& t, const CellRange& range, double strength) {
    const double usualX = usualHeight(t, true), usualY = usualHeight(t, false);
    std::vector<CellValue> out;
    for (size_t r = range.top; r <= range.bottom; ++r)
        for (size_t c = range.left; c <= range.right; ++c) {
            Triple k;
            double sum = 0;
            int axes = 0;
            if (tripleAt(t, r, c, true, k)) sum += estimate(t, r, c, true, k, usualX), ++axes;
            if (tripleAt(t, r, c, false, k)) sum += estimate(t, r, c, false, k, usualY), ++axes;
            const double old = t.at(r, c);
            out.push_back({r * t.columns + c, axes ? old + strength * (sum / axes - old) : old});
        }
    return out;
}

std::vector<CellValue> applyFactors(const Table& t, const CellRange& range, const std::vector<double>& factors,
                                    double strength) {
    std::vector<CellValue> out;
    size_t i = 0;
    for (size_t r = range.top; r <= range.bottom; ++r)
        for (size_t c = range.left; c <= range.right; ++c, ++i) {
            const double factor = i < factors.size() ? factors[i] : NAN;
            if (std::isfinite(factor)) out.push_back({r * t.columns + c, t.at(r, c) * (1 + strength * (factor - 1))});
        }
    return out;
}

std::vector<Ridge> findRidges(const Table& t, const Table* stock) {
    std::vector<Ridge> out;
    if (t.values.size() < 3) return out;
    if (stock && (stock->rows != t.rows || stock->columns != t.columns)) stock = nullptr;
    const auto [least, most] = std::minmax_element(t.values.begin(), t.values.end());
    for (const bool alongX : {true, false}) {
        Triple k;
        // In a short curve one spike is half of all: what is usual is never much of the range.
        const double usual = std::min(usualHeight(t, alongX), 0.05 * (*most - *least));
        for (size_t r = 0; r < t.rows; ++r)
            for (size_t c = 0; c < t.columns; ++c) {
                if (!tripleAt(t, r, c, alongX, k)) continue;
                Ridge ridge{r * t.columns + c, alongX, k.at - k.line(), 0};
                if (stock && tripleAt(*stock, r, c, alongX, k)) ridge.stockHeight = k.at - k.line();
                const double bar =
                    std::max({3 * usual, 1.5 * std::abs(ridge.stockHeight), 2.5 * t.step, 0.03 * (*most - *least)});
                if (std::abs(ridge.height) > bar) out.push_back(ridge);
            }
    }
    // Beside a spike its neighbours stand out too, less and to the other side: only the peak is told.
    std::vector<Ridge> peaks;
    for (const Ridge& ridge : out) {
        const bool shadow = std::any_of(out.begin(), out.end(), [&](const Ridge& other) {
            if (other.alongX != ridge.alongX || std::abs(other.height) <= std::abs(ridge.height)) return false;
            const size_t stride = ridge.alongX ? 1 : t.columns;
            return other.cell + stride == ridge.cell || ridge.cell + stride == other.cell;
        });
        if (!shadow) peaks.push_back(ridge);
    }
    std::stable_sort(peaks.begin(), peaks.end(),
                     [](const Ridge& a, const Ridge& b) { return std::abs(a.height) > std::abs(b.height); });
    return peaks;
}

}  // namespace brusk::calibration
