// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/units/Units.h"

#include <array>

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
    Unit{"\u00b0C", Q::Temperature, 1, 0},
    Unit{"K", Q::Temperature, 1, -273.15},
    Unit{"\u00b0F", Q::Temperature, 5.0 / 9.0, -160.0 / 9.0},
    Unit{"g/s", Q::AirFlow, 1, 0},
    Unit{"kg/h", Q::AirFlow, 1.0 / 3.6, 0},
    Unit{"lb/min", Q::AirFlow, 453.59237 / 60.0, 0},
    Unit{"cm3/min", Q::VolumeFlow, 1, 0},
    Unit{"cc/min", Q::VolumeFlow, 1, 0},
    Unit{"l/h", Q::VolumeFlow, 1000.0 / 60.0, 0},
    Unit{"mg", Q::Mass, 1, 0},
    Unit{"g", Q::Mass, 1000, 0},
    Unit{"km/h", Q::Speed, 1, 0},
    Unit{"mph", Q::Speed, 1.609344, 0},
    Unit{"m/s", Q::Speed, 3.6, 0},
    Unit{"rpm", Q::EngineSpeed, 1, 0},
    Unit{"1/min", Q::EngineSpeed, 1, 0},
    Unit{"Nm", Q::Torque, 1, 0},
    Unit{"lbf ft", Q::Torque, 1.3558179483314004, 0},
    Unit{"lambda", Q::Lambda, 1, 0},
    Unit{"\u00b0", Q::Angle, 1, 0},
    Unit{"deg", Q::Angle, 1, 0},
    Unit{"s", Q::Time, 1, 0},
    Unit{"ms", Q::Time, 1e-3, 0},
    Unit{"us", Q::Time, 1e-6, 0},
    Unit{"V", Q::Voltage, 1, 0},
    Unit{"mV", Q::Voltage, 1e-3, 0},
    Unit{"%", Q::Ratio, 1, 0},
    Unit{"mm", Q::Length, 1, 0},
    Unit{"cm3", Q::Volume, 1, 0},
    Unit{"l", Q::Volume, 1000, 0},
    Unit{"g/cm3", Q::Density, 1, 0},
};

}  // namespace

const Unit* findUnit(std::string_view symbol) {
    std::string wanted = toLower(trimmed(symbol));
    if (wanted == "degc") wanted = "\u00b0c";
    if (wanted == "degf") wanted = "\u00b0f";
    for (const Unit& unit : kUnits)
        if (unit.symbol == symbol) return &unit;
    for (const Unit& unit : kUnits)
        if (toLower(unit.symbol) == wanted) return &unit;
    return nullptr;
}

std::optional<double> convert(double value, std::string_view from, std::string_view to) {
    const Unit* source = findUnit(from);
    const Unit* target = findUnit(to);
    if (!source || !target || source->quantity != target->quantity) return std::nullopt;
    return (value * source->scale + source->offset - target->offset) / target->scale;
}

std::vector<std::string_view> unitsOf(Quantity quantity) {
    std::vector<std::string_view> symbols;
    for (const Unit& unit : kUnits)
        if (unit.quantity == quantity) symbols.push_back(unit.symbol);
    return symbols;
}

double stoichiometricRatio(double ethanolVolumeFraction) {
    const double ethanol = ethanolVolumeFraction * 0.789;
    const double petrol = (1 - ethanolVolumeFraction) * 0.745;
    return (ethanol * 9.0 + petrol * 14.7) / (ethanol + petrol);
}

}  // namespace brusk::units
