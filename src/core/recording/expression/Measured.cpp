// Dimensions of the trade's quantities, in SI.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recording/expression/Measured.h"

#include <algorithm>
#include <cmath>

#include "core/base/Text.h"
#include "core/units/Units.h"

namespace brusk::recording::expression {

namespace {

using Q = units::Quantity;

/// What one base unit of a quantity is in SI.
struct Base {
    Q quantity;
    Dimension dimension;
    double scale;
};
constexpr Base kBases[] = {{Q::Pressure, {1, -1, -2, 0, 0, 0}, 1e3},
                           {Q::Temperature, {0, 0, 0, 1, 0, 0}, 1},
                           {Q::AirFlow, {1, 0, -1, 0, 0, 0}, 1e-3},
                           {Q::FuelFlow, {1, 0, -1, 0, 0, 0}, 1e-3 / 60},
                           {Q::VolumeFlow, {0, 3, -1, 0, 0, 0}, 1e-6 / 60},
                           {Q::Mass, {1, 0, 0, 0, 0, 0}, 1e-6},
                           {Q::Speed, {0, 1, -1, 0, 0, 0}, 1 / 3.6},
                           {Q::EngineSpeed, {0, 0, -1, 0, 0, 0}, 1.0 / 60},
                           {Q::Torque, {1, 2, -2, 0, 0, 0}, 1},
                           {Q::Power, {1, 2, -3, 0, 0, 0}, 1e3},
                           {Q::Lambda, {}, 1},
                           {Q::Angle, {0, 0, 0, 0, 0, 1}, 1},
                           {Q::Time, {0, 0, 1, 0, 0, 0}, 1},
                           {Q::Voltage, {0, 0, 0, 0, 1, 0}, 1},
                           {Q::Ratio, {}, 0.01},
                           {Q::Length, {0, 1, 0, 0, 0, 0}, 1e-3},
                           {Q::Volume, {0, 3, 0, 0, 0, 0}, 1e-6},
                           {Q::Density, {1, -3, 0, 0, 0, 0}, 1e3}};
constexpr double kZeroCelsius_K = 273.15;

Measured ofUnit(const units::Unit& unit, double stoichiometric) {
    Measured out;
    out.kind = Measured::Kind::Known;
    out.text = unit.symbol;
    for (const Base& base : kBases)
        if (base.quantity == unit.quantity) out.dimension = base.dimension, out.scale = base.scale * unit.scale;
    if (unit.symbol == "AFR") out.scale = 1 / stoichiometric;
    if (unit.quantity == Q::Temperature) {
        // A number of kelvins may be either; it is taken for what it meets.
        out.absolute = unit.symbol != "K";
        out.offset = unit.offset + kZeroCelsius_K;
    }
    return out;
}

bool same(double a, double b) {
    return std::abs(a - b) <= 1e-9 * std::max(std::abs(a), std::abs(b));
}

/// The unit that has this name already: a newton metre a second is a watt.
std::string nameOf(const Measured& m, std::string composed) {
    if (m.dimension == Dimension{} && same(m.scale, 1)) return {};
    for (const Q quantity : units::kQuantities)
        for (const std::string_view symbol : units::unitsOf(quantity)) {
            const Measured known = ofUnit(*units::findUnit(symbol), units::kPetrolRatio);
            if (symbol != "AFR" && known.dimension == m.dimension && same(known.scale, m.scale))
                return std::string(symbol);
        }
    return composed;
}

std::string factor(const std::string& text) {
    return text.find_first_of("/*") == std::string::npos ? text : "(" + text + ")";
}

}  // namespace

std::string Measured::spoken() const {
    if (kind == Kind::Truth) return "yes or no";
    if (text.empty()) return "a number";
    const auto* unit = units::findUnit(text);
    return unit ? std::string(units::quantityName(unit->quantity)) + " (" + text + ")" : text;
}

Measured measuredIn(std::string_view unit, double stoichiometric) {
    const std::string_view text = trimmed(unit);
    if (text.empty() || text == "-" || text == "1") return {};
    if (const auto* known = units::findUnit(text)) return ofUnit(*known, stoichiometric);
    if (const size_t slash = text.rfind('/'); slash != std::string_view::npos) {
        const auto *above = units::findUnit(text.substr(0, slash)), *below = units::findUnit(text.substr(slash + 1));
        if (above && below) {
            Measured out = product(ofUnit(*above, stoichiometric), ofUnit(*below, stoichiometric), true);
            out.text = text;
            return out;
        }
    }
    Measured out;
    out.kind = Measured::Kind::Unknown;
    out.text = text;
    return out;
}

std::optional<std::pair<Measured, size_t>> unitAt(std::string_view text, double stoichiometric) {
    constexpr size_t kLongest = 8;
    for (size_t length = std::min(kLongest, text.size()); length > 0; --length) {
        const std::string_view symbol = text.substr(0, length);
        if (symbol.back() == ' ' || symbol.front() == ' ') continue;
        // Not the beginning of a longer word, unless the symbol ends with a sign.
        const auto letter = [](char c) { return std::isalnum(static_cast<unsigned char>(c)) != 0 || c == '_'; };
        if (length < text.size() && letter(symbol.back()) && letter(text[length])) continue;
        if (const auto* unit = units::findUnit(symbol)) return std::pair(ofUnit(*unit, stoichiometric), length);
    }
    return std::nullopt;
}

std::optional<Turned> turned(const Measured& from, const Measured& into, bool asDifference) {
    if (!from.known() || !into.known()) return Turned{};
    if (from.dimension != into.dimension) return std::nullopt;
    if (same(from.scale, into.scale) && (asDifference || same(from.offset, into.offset))) return Turned{};
    const double offset = asDifference ? 0 : (from.offset - into.offset) / into.scale;
    return Turned{from.scale / into.scale, offset};
}

Measured product(const Measured& a, const Measured& b, bool divided) {
    if (a.kind == Measured::Kind::Truth || b.kind == Measured::Kind::Truth)
        return product(a.kind == Measured::Kind::Truth ? Measured{} : a,
                       b.kind == Measured::Kind::Truth ? Measured{} : b, divided);
    if (b.kind == Measured::Kind::Any) return a;
    if (a.kind == Measured::Kind::Any && !divided) return b;
    Measured out;
    out.kind = a.kind == Measured::Kind::Unknown || b.kind == Measured::Kind::Unknown ? Measured::Kind::Unknown
                                                                                      : Measured::Kind::Known;
    out.scale = divided ? a.scale / b.scale : a.scale * b.scale;
    for (size_t i = 0; i < out.dimension.size(); ++i)
        out.dimension[i] = a.dimension[i] + (divided ? -b.dimension[i] : b.dimension[i]);
    const std::string left = a.text.empty() ? (divided ? "1" : "") : divided ? a.text : factor(a.text);
    const std::string composed = b.text.empty() ? a.text
                                 : left.empty() ? b.text
                                                : left + (divided ? "/" : "*") + factor(b.text);
    out.text = out.known() ? nameOf(out, composed) : composed;
    return out;
}

std::optional<Measured> power(const Measured& base, int numerator, int denominator) {
    if (!base.known()) return base;
    Measured out = base;
    for (int& d : out.dimension) {
        if (d * numerator % denominator != 0) return std::nullopt;
        d = d * numerator / denominator;
    }
    out.scale = std::pow(base.scale, static_cast<double>(numerator) / denominator);
    out.offset = 0, out.absolute = false;
    const std::string by = std::to_string(numerator) + (denominator == 1 ? "" : "/" + std::to_string(denominator));
    out.text = nameOf(out, base.text.empty() || numerator == denominator ? base.text : factor(base.text) + "^" + by);
    return out;
}

}  // namespace brusk::recording::expression
