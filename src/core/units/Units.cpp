// A table of units by quantity, scale and offset.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/units/Units.h"

#include <algorithm>
#include <array>
#include <cmath>

#include "core/base/Text.h"

namespace brusk::units {
namespace {

using Q = Quantity;

// Exact factors where the unit is defined by one (psi from pound-force and inch, mph from the international mile).
constexpr std::array kUnits = {
    Unit{"kPa", Q::Pressure, 1, 0},
    Unit{"Pa", Q::Pressure, 1e-3, 0},
    Unit{"hPa", Q::Pressure, 0.1, 0},
    Unit{"mbar", Q::Pressure, 0.1, 0},
    Unit{"bar", Q::Pressure, 100, 0},
    Unit{"psi", Q::Pressure, 6.894757293168361, 0},
    Unit{"MPa", Q::Pressure, 1000, 0},
    Unit{"inHg", Q::Pressure, 3.386389, 0},
    Unit{"mmHg", Q::Pressure, 0.133322387415, 0},
    Unit{"\u00b0C", Q::Temperature, 1, 0},
    Unit{"K", Q::Temperature, 1, -273.15},
    Unit{"\u00b0F", Q::Temperature, 5.0 / 9.0, -160.0 / 9.0},
    Unit{"g/s", Q::AirFlow, 1, 0},
    Unit{"kg/h", Q::AirFlow, 1.0 / 3.6, 0},
    Unit{"lb/min", Q::AirFlow, 453.59237 / 60.0, 0},
    Unit{"kg/s", Q::AirFlow, 1000, 0},
    Unit{"g/min", Q::FuelFlow, 1, 0},
    Unit{"lb/h", Q::FuelFlow, 453.59237 / 60.0, 0},
    Unit{"cm3/min", Q::VolumeFlow, 1, 0},
    Unit{"cc/min", Q::VolumeFlow, 1, 0},
    Unit{"l/h", Q::VolumeFlow, 1000.0 / 60.0, 0},
    Unit{"l/min", Q::VolumeFlow, 1000, 0},
    Unit{"gal/h", Q::VolumeFlow, 3785.411784 / 60.0, 0},
    Unit{"mg", Q::Mass, 1, 0},
    Unit{"g", Q::Mass, 1000, 0},
    Unit{"kg", Q::Mass, 1e6, 0},
    Unit{"lb", Q::Mass, 453592.37, 0},
    Unit{"km/h", Q::Speed, 1, 0},
    Unit{"mph", Q::Speed, 1.609344, 0},
    Unit{"m/s", Q::Speed, 3.6, 0},
    Unit{"rpm", Q::EngineSpeed, 1, 0},
    Unit{"1/min", Q::EngineSpeed, 1, 0},
    Unit{"Nm", Q::Torque, 1, 0},
    Unit{"lbf ft", Q::Torque, 1.3558179483314004, 0},
    Unit{"kgf m", Q::Torque, 9.80665, 0},
    Unit{"kW", Q::Power, 1, 0},
    Unit{"hp", Q::Power, 0.7456998715822702, 0},
    Unit{"PS", Q::Power, 0.73549875, 0},
    Unit{"lambda", Q::Lambda, 1, 0},
    Unit{"AFR", Q::Lambda, 1, 0},
    Unit{"\u00b0", Q::Angle, 1, 0},
    Unit{"deg", Q::Angle, 1, 0},
    Unit{"rad", Q::Angle, 57.29577951308232, 0},
    Unit{"s", Q::Time, 1, 0},
    Unit{"ms", Q::Time, 1e-3, 0},
    Unit{"us", Q::Time, 1e-6, 0},
    Unit{"min", Q::Time, 60, 0},
    Unit{"h", Q::Time, 3600, 0},
    Unit{"V", Q::Voltage, 1, 0},
    Unit{"mV", Q::Voltage, 1e-3, 0},
    Unit{"%", Q::Ratio, 1, 0},
    Unit{"mm", Q::Length, 1, 0},
    Unit{"in", Q::Length, 25.4, 0},
    Unit{"m", Q::Length, 1000, 0},
    Unit{"cm3", Q::Volume, 1, 0},
    Unit{"cc", Q::Volume, 1, 0},
    Unit{"ml", Q::Volume, 1, 0},
    Unit{"l", Q::Volume, 1000, 0},
    Unit{"in3", Q::Volume, 16.387064, 0},
    Unit{"g/cm3", Q::Density, 1, 0},
};

}  // namespace

namespace {
/// Other ways to write a unit that are met in definitions; lower case.
constexpr std::pair<std::string_view, std::string_view> kSpellings[] = {
    {"degc", "\u00b0C"},    {"deg c", "\u00b0C"},
    {"degf", "\u00b0F"},    {"deg f", "\u00b0F"},
    {"\u00b5s", "us"},      {"\u03bcs", "us"},
    {"usec", "us"},         {"msec", "ms"},
    {"sec", "s"},           {"cm\u00b3/min", "cm3/min"},
    {"ccm/min", "cm3/min"}, {"cm^3/min", "cm3/min"},
    {"ml/min", "cm3/min"},  {"cm\u00b3", "cm3"},
    {"ccm", "cm3"},         {"cm^3", "cm3"},
    {"u/min", "rpm"},       {"rev/min", "rpm"},
    {"mg/stk", "mg"},       {"mg/str", "mg"},
    {"mg/stroke", "mg"},    {"g/stk", "g"},
    {"g/cyl", "g"},         {"mg/cyl", "mg"},
    {"n*m", "Nm"},          {"n.m", "Nm"},
    {"ft lb", "lbf ft"},    {"lb ft", "lbf ft"},
    {"lb-ft", "lbf ft"},    {"ft-lb", "lbf ft"},
    {"\u00b0ca", "\u00b0"}, {"\u00b0kw", "\u00b0"},
    {"deg ca", "\u00b0"},   {"percent", "%"},
    {"kph", "km/h"},        {"volt", "V"},
    {"volts", "V"},         {"g/cm\u00b3", "g/cm3"},
    {"kg/l", "g/cm3"},      {"lbs/hr", "lb/h"},
    {"lb/hr", "lb/h"},      {"kg/hr", "kg/h"},
    {"afr (:1)", "AFR"},    {"\u03bb", "lambda"}};
}  // namespace

const Unit* findUnit(std::string_view symbol) {
    for (const Unit& unit : kUnits)
        if (unit.symbol == symbol) return &unit;
    std::string wanted = toLower(trimmed(symbol));
    for (const auto& [spelling, meant] : kSpellings)
        if (wanted == spelling) wanted = toLower(meant);
    for (const Unit& unit : kUnits)
        if (toLower(unit.symbol) == wanted) return &unit;
    return nullptr;
}

namespace {

/// An air-fuel ratio is a lambda of the stoichiometric ratio's size, which the fuel in the tank decides.
Unit withFuel(const Unit& unit, double stoichiometric) {
    Unit out = unit;
    if (unit.symbol == "AFR") out.scale = 1 / stoichiometric;
    return out;
}

constexpr double kPetrol = kPetrolRatio;

double convertBetween(double value, const Unit& from, const Unit& to) {
    return (value * from.scale + from.offset - to.offset) / to.scale;
}

}  // namespace

namespace {

/// "kPa/V" into "kPa" and "V", "rpm/(km/h)" into "rpm" and "km/h"; nothing where there is no stroke.
std::optional<std::pair<std::string_view, std::string_view>> parts(std::string_view rate) {
    const size_t stroke = rate.find('/');
    if (stroke == std::string_view::npos) return std::nullopt;
    std::string_view below = rate.substr(stroke + 1);
    if (below.size() > 2 && below.front() == '(' && below.back() == ')') below = below.substr(1, below.size() - 2);
    return std::pair{rate.substr(0, stroke), below};
}

}  // namespace

std::optional<Shown> conversion(std::string_view from, std::string_view to, double stoichiometric) {
    const Unit *source = findUnit(from), *target = findUnit(to);
    if (source && target) {
        if (source->quantity != target->quantity) return std::nullopt;
        const Unit a = withFuel(*source, stoichiometric), b = withFuel(*target, stoichiometric);
        return Shown{std::string(to), a.scale / b.scale, (a.offset - b.offset) / b.scale};
    }
    if (source || target) return std::nullopt;
    if (from == to) return Shown{std::string(to)};
    const auto have = parts(from), want = parts(to);
    if (!have || !want) return std::nullopt;
    // A rate has no offset: a difference of one quantity for a difference of another.
    const auto above = conversion(have->first, want->first, stoichiometric);
    const auto below = conversion(have->second, want->second, stoichiometric);
    if (!above || !below) return std::nullopt;
    return Shown{std::string(to), above->scale / below->scale, 0};
}

std::optional<double> convert(double value, std::string_view from, std::string_view to) {
    const auto by = conversion(from, to, kPetrol);
    return by ? std::optional((*by)(value)) : std::nullopt;
}

std::string_view quantityName(Quantity quantity) {
    static constexpr std::string_view names[] = {"",       "pressure", "temperature",  "air flow", "volume flow",
                                                 "mass",   "speed",    "engine speed", "torque",   "lambda",
                                                 "angle",  "time",     "voltage",      "share",    "length",
                                                 "volume", "density",  "power",        "fuel flow"};
    return names[static_cast<size_t>(quantity)];
}

int Shown::decimals(int stored) const {
    return std::clamp(stored - static_cast<int>(std::floor(std::log10(std::abs(scale)) + 0.3)), 0, 6);
}

Shown Preferences::shown(std::string_view storedUnit) const {
    Shown out{std::string(storedUnit)};
    const Unit* stored = findUnit(storedUnit);
    if (!stored) return out;
    const auto wish = wanted.find(stored->quantity);
    const Unit* target = wish == wanted.end() ? nullptr : findUnit(wish->second);
    if (!target || target->symbol == stored->symbol || target->quantity != stored->quantity) return out;
    return conversion(storedUnit, target->symbol, stoichiometric).value_or(out);
}

std::string Preferences::text() const {
    std::string out;
    for (const auto& [quantity, unit] : wanted)
        out += std::string(quantityName(quantity)) + "=" + unit + ";";
    return out + "stoichiometric=" + formatNumber(stoichiometric, 3);
}

Preferences Preferences::fromText(std::string_view text) {
    Preferences out;
    while (!text.empty()) {
        const size_t end = std::min(text.find(';'), text.size());
        const std::string_view part = text.substr(0, end);
        text.remove_prefix(std::min(end + 1, text.size()));
        const size_t equals = part.find('=');
        if (equals == std::string_view::npos) continue;
        const std::string_view key = part.substr(0, equals), value = part.substr(equals + 1);
        if (const auto ratio = parseNumber(value); key == "stoichiometric" && ratio && *ratio > 1 && *ratio < 40)
            out.stoichiometric = *ratio;
        for (const Quantity quantity : kQuantities)
            if (const Unit* unit = findUnit(value); key == quantityName(quantity) && unit && unit->quantity == quantity)
                out.wanted[quantity] = unit->symbol;
    }
    return out;
}

std::vector<Converted> convertAll(std::string_view text, double stoichiometric) {
    std::string plain(trimmed(text));
    std::replace(plain.begin(), plain.end(), ',', '.');
    size_t digits = plain.find_first_not_of("+-0123456789.");
    if (digits == std::string::npos || digits == 0) return {};
    const auto value = parseNumber(trimmed(std::string_view(plain).substr(0, digits)));
    const Unit* unit = findUnit(trimmed(std::string_view(plain).substr(digits)));
    if (!value || !unit) return {};
    std::vector<Converted> out;
    for (const Unit& other : kUnits)
        if (other.quantity == unit->quantity && other.symbol != unit->symbol)
            out.push_back({convertBetween(*value, withFuel(*unit, stoichiometric), withFuel(other, stoichiometric)),
                           std::string(other.symbol)});
    return out;
}

std::vector<std::string_view> unitsOf(Quantity quantity) {
    std::vector<std::string_view> symbols;
    for (const Unit& unit : kUnits)
        if (unit.quantity == quantity) symbols.push_back(unit.symbol);
    return symbols;
}

double stoichiometricRatio(double ethanolVolumeFraction) {
    const double ethanol = ethanolVolumeFraction * 0.789;
    const double petrol = (1 - ethanolVolumeFraction) * kPetrol_gcm3;
    return (ethanol * 9.0 + petrol * kPetrolRatio) / (ethanol + petrol);
}

}  // namespace brusk::units
