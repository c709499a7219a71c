// Raw numbers to physical ones and back. Directions and rules: ASAM MCD-2 MC 1.6, COMPU_METHOD, COMPU_TAB, FORMULA.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <muParser.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <memory>
#include <unordered_map>

#include "core/definition/Definition.h"

namespace brusk::definition {
namespace {

constexpr double kNone = std::numeric_limits<double>::quiet_NaN();

double solveRational(const Conversion& k, double raw) {
    // raw (d p2 + e p + f) = a p2 + b p + c
    const double qa = k.a - k.d * raw;
    const double qb = k.b - k.e * raw;
    const double qc = k.c - k.f * raw;
    if (qa == 0) return qb == 0 ? kNone : -qc / qb;
    const double root = qb * qb - 4 * qa * qc;
    if (root < 0) return kNone;
    return (-qb + std::sqrt(root)) / (2 * qa);
}

/// The y of a chain of points at x, in a straight line between neighbours and held at the ends.
template <class X, class Y>
double interpolated(const std::vector<Conversion::Point>& points, double x, X xOf, Y yOf) {
    if (points.empty() || std::isnan(x)) return kNone;
    // The points rise in their raw value; their physical values may fall, or turn.
    const bool rising = xOf(points.front()) <= xOf(points.back());
    const auto& least = rising ? points.front() : points.back();
    const auto& most = rising ? points.back() : points.front();
    if (x <= xOf(least)) return yOf(least);
    if (x >= xOf(most)) return yOf(most);
    for (size_t i = 1; i < points.size(); ++i) {
        const double x0 = xOf(points[i - 1]), x1 = xOf(points[i]);
        if (std::min(x0, x1) > x || std::max(x0, x1) < x) continue;
        const double share = x1 == x0 ? 0 : (x - x0) / (x1 - x0);
        return yOf(points[i - 1]) + share * (yOf(points[i]) - yOf(points[i - 1]));
    }
    return kNone;
}

double rawAt(const Conversion::Point& p) {
    return p.raw;
}
double physicalAt(const Conversion::Point& p) {
    return p.physical;
}

double stepped(const Conversion& k, double raw) {
    for (const auto& point : k.points)
        if (point.raw == raw) return point.physical;
    return k.defaultValue.value_or(kNone);
}

double nearestStep(const Conversion& k, double physical) {
    double best = kNone, distance = std::numeric_limits<double>::infinity();
    for (const auto& point : k.points)
        if (std::abs(point.physical - physical) < distance)
            distance = std::abs(point.physical - physical), best = point.raw;
    return best;
}

/// The standard's operators on whole numbers; muParser has none on doubles.
template <class Operation>
double onWhole(double a, double b, Operation operation) {
    const auto whole = [](double v) { return static_cast<int64_t>(std::clamp(v, -9e18, 9e18)); };
    return static_cast<double>(operation(whole(a), whole(b)));
}

/// A formula ready to be evaluated at X1; parsers are kept, a thread its own.
struct Evaluator {
    explicit Evaluator(const std::string& text) {
        parser.DefineVar("X1", &x);
        parser.DefineVar("X", &x);
        parser.DefineOprt(
            "&", [](double a, double b) { return onWhole(a, b, std::bit_and<int64_t>()); }, 4);
        parser.DefineOprt(
            "|", [](double a, double b) { return onWhole(a, b, std::bit_or<int64_t>()); }, 3);
        parser.DefineOprt(
            "<<", [](double a, double b) { return a * std::exp2(std::floor(b)); }, 5);
        parser.DefineOprt(
            ">>", [](double a, double b) { return std::floor(a / std::exp2(std::floor(b))); }, 5);
        parser.DefineFun("pow", [](double a, double b) { return std::pow(a, b); });
        parser.DefineFun("arcsin", [](double a) { return std::asin(a); });
        parser.DefineFun("arccos", [](double a) { return std::acos(a); });
        parser.DefineFun("arctan", [](double a) { return std::atan(a); });
        parser.SetExpr(text);
    }
    double x = 0;
    mu::Parser parser;
};

double evaluate(const std::string& text, double x) {
    if (text.empty()) return kNone;
    thread_local std::unordered_map<std::string, std::unique_ptr<Evaluator>> kept;
    try {
        if (kept.size() > 256) kept.clear();
        auto& evaluator = kept[text];
        if (!evaluator) evaluator = std::make_unique<Evaluator>(text);
        evaluator->x = x;
        return evaluator->parser.Eval();
    } catch (const mu::Parser::exception_type&) {
        return kNone;
    }
}

}  // namespace

double Conversion::toPhysical(double raw) const {
    switch (kind) {
        case Kind::Linear:
            return a * raw + b;
        case Kind::Rational:
            return solveRational(*this, raw);
        case Kind::Interpolated:
            return interpolated(points, raw, rawAt, physicalAt);
        case Kind::Stepped:
            return stepped(*this, raw);
        case Kind::Formula:
            return evaluate(formula, raw);
        case Kind::Identical:
        case Kind::Verbal:
            break;
    }
    return raw;
}

double Conversion::toRaw(double physical) const {
    switch (kind) {
        case Kind::Linear:
            return a == 0 ? kNone : (physical - b) / a;
        case Kind::Rational: {
            const double below = d * physical * physical + e * physical + f;
            return below == 0 ? kNone : (a * physical * physical + b * physical + c) / below;
        }
        case Kind::Interpolated:
            return interpolated(points, physical, physicalAt, rawAt);
        case Kind::Stepped:
            return nearestStep(*this, physical);
        case Kind::Formula:
            return evaluate(inverse, physical);
        case Kind::Identical:
        case Kind::Verbal:
            break;
    }
    return physical;
}

std::string_view Conversion::textFor(double raw) const {
    for (const Text& text : texts)
        if (raw >= text.low && raw <= text.high) return text.text;
    return defaultText;
}

}  // namespace brusk::definition
