// Bilinear between breakpoints, as controllers do it.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/calibration/Surface.h"

#include <algorithm>
#include <cmath>

#include "core/units/Units.h"

namespace brusk::calibration {

Position positionOn(const std::vector<double>& breakpoints, double value, Outside outside) {
    if (breakpoints.size() < 2) return {};
    const auto above = std::upper_bound(breakpoints.begin(), breakpoints.end(), value);
    const auto index = std::clamp<long>(above - breakpoints.begin() - 1, 0, static_cast<long>(breakpoints.size()) - 2);
    const auto below = static_cast<size_t>(index);
    const double span = breakpoints[below + 1] - breakpoints[below];
    double share = span > 0 ? (value - breakpoints[below]) / span : 0;
    if (outside == Outside::Clamp) share = std::clamp(share, 0.0, 1.0);
    return {below, share};
}

std::vector<CellWeight> weightsAt(const std::vector<double>& x, const std::vector<double>& y, double xValue,
                                  double yValue) {
    std::vector<CellWeight> out;
    if (std::isnan(xValue) || (!y.empty() && std::isnan(yValue))) return out;
    const Position column = positionOn(x, xValue, Outside::Clamp), row = positionOn(y, yValue, Outside::Clamp);
    const size_t columns = std::max<size_t>(1, x.size());
    for (const size_t down : {0, 1})
        for (const size_t right : {0, 1}) {
            const double weight = (down ? row.share : 1 - row.share) * (right ? column.share : 1 - column.share);
            if (weight > 0) out.push_back({(row.below + down) * columns + column.below + right, weight});
        }
    return out;
}

double surfaceAt(const Table& t, double x, double y, Outside outside) {
    const Position column = positionOn(t.x.values, x, outside);
    const Position row = positionOn(t.y.values, y, outside);
    const size_t right = std::min(column.below + 1, t.columns - 1);
    const size_t down = std::min(row.below + 1, t.rows - 1);
    const auto along = [&](size_t r) {
        const double from = t.at(r, column.below);
        return column.share == 0 ? from : from + column.share * (t.at(r, right) - from);
    };
    const double upper = along(row.below);
    return row.share == 0 ? upper : upper + row.share * (along(down) - upper);
}

namespace {

/// A function that turns values of unit `from` into `to`; an error when they can't be turned.
struct UnitStep {
    double scale = 1;
    double offset = 0;
    double operator()(double v) const { return v * scale + offset; }
};
Result<UnitStep> unitStep(const std::string& from, const std::string& to, const std::string& what) {
    if (from == to || from.empty() || to.empty()) return UnitStep{};
    const auto zero = units::convert(0, from, to);
    const auto one = units::convert(1, from, to);
    if (!zero || !one) return fail(ErrorCode::Mismatch, what + " is in " + from + " there and in " + to + " here.");
    return UnitStep{*one - *zero, *zero};
}

bool surface(const Table& t) {
    return !t.x.values.empty();
}

}  // namespace

Result<std::vector<double>> fitted(const Table& to, const Table& from, Outside outside) {
    const std::string name = from.parameter->name;
    if (to.values.empty() || from.values.empty())
        return fail(ErrorCode::Mismatch, name + " is a text or empty; it can't be compared number by number.");
    const auto value = unitStep(from.unit, to.unit, name);
    if (!value) return tl::unexpected(value.error());
    if (surface(to) != surface(from) || to.y.values.empty() != from.y.values.empty())
        return fail(ErrorCode::Mismatch, name + " is a " + std::string(definition::kindName(from.parameter->kind)) +
                                             " there and a " + std::string(definition::kindName(to.parameter->kind)) +
                                             " here.");
    std::vector<double> out(to.values.size());
    if (!surface(to)) {
        if (to.values.size() != from.values.size())
            return fail(ErrorCode::Mismatch, name + " has " + std::to_string(from.values.size()) +
                                                 " elements there and " + std::to_string(to.values.size()) + " here.");
        std::transform(from.values.begin(), from.values.end(), out.begin(), *value);
        return out;
    }
    const auto x = unitStep(to.x.unit, from.x.unit, "The axis " + from.x.label + " of " + name);
    if (!x) return tl::unexpected(x.error());
    const auto y = unitStep(to.y.unit, from.y.unit, "The axis " + from.y.label + " of " + name);
    if (!y) return tl::unexpected(y.error());
    for (size_t r = 0; r < to.rows; ++r)
        for (size_t c = 0; c < to.columns; ++c)
            out[r * to.columns + c] = (*value)(
                surfaceAt(from, (*x)(to.x.values[c]), to.y.values.empty() ? 0 : (*y)(to.y.values[r]), outside));
    return out;
}

SurfaceError surfaceError(const Table& a, const Table& b) {
    SurfaceError out;
    const auto value = unitStep(b.unit, a.unit, "");
    const auto x = unitStep(b.x.unit, a.x.unit, "");
    const auto y = unitStep(b.y.unit, a.y.unit, "");
    if (!value || !x || !y || a.x.values.empty() || b.x.values.empty()) return out;
    const auto xBack = unitStep(a.x.unit, b.x.unit, ""), yBack = unitStep(a.y.unit, b.y.unit, "");
    if (!xBack || !yBack) return out;
    // Every breakpoint of b with three places between each two, as far as a reaches, and every breakpoint of a: the
    // difference of two surfaces is greatest at a breakpoint of one of them.
    const auto fine = [](const AxisValues& of, const UnitStep& step, const AxisValues& within, const UnitStep& back) {
        std::vector<std::pair<double, double>> places;  // in b's units and in a's
        for (size_t i = 0; i < of.values.size(); ++i)
            for (int k = 0; k < (i + 1 < of.values.size() ? 4 : 1); ++k) {
                const double there = k == 0 ? of.values[i] : of.values[i] + (of.values[i + 1] - of.values[i]) * k / 4.0;
                const double here = step(there);
                if (here >= within.values.front() && here <= within.values.back()) places.emplace_back(there, here);
            }
        for (const double here : within.values)
            if (const double there = back(here); there >= of.values.front() && there <= of.values.back())
                places.emplace_back(there, here);
        return places;
    };
    const auto columns = fine(b.x, *x, a.x, *xBack);
    const auto rows = b.y.values.empty() ? std::vector<std::pair<double, double>>{{0, 0}} : fine(b.y, *y, a.y, *yBack);
    double sum = 0;
    for (const auto& [yb, ya] : rows)
        for (const auto& [xb, xa] : columns) {
            const double off = (*value)(surfaceAt(b, xb, yb)) - surfaceAt(a, xa, ya);
            out.largest = std::max(out.largest, std::abs(off));
            sum += off * off;
        }
    const size_t n = rows.size() * columns.size();
    if (n > 0) out.rms = std::sqrt(sum / static_cast<double>(n));
    return out;
}

}  // namespace brusk::calibration
