// Quantities of the trade and the units they are written in.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace brusk::units {

enum class Quantity {
    None,
    Pressure,
    Temperature,
    AirFlow,
    VolumeFlow,
    Mass,
    Speed,
    EngineSpeed,
    Torque,
    Lambda,
    Angle,
    Time,
    Voltage,
    Ratio,
    Length,
    Volume,
    Density
};

/// A unit of a quantity: base value = scale * value + offset, the base being the first unit listed of that quantity.
struct Unit {
    std::string_view symbol;
    Quantity quantity;
    double scale;
    double offset;
};

/// The unit with this symbol, letter case and the degree sign's spelling aside; null when unknown.
const Unit* findUnit(std::string_view symbol);
/// `value` in `from` expressed in `to`; nothing when either is unknown or they measure different quantities.
std::optional<double> convert(double value, std::string_view from, std::string_view to);
std::vector<std::string_view> unitsOf(Quantity quantity);

/// Mass fraction weighted stoichiometric air-fuel ratio of petrol with `ethanolVolumeFraction` (0 to 1) of ethanol.
/// Petrol 14.7 and 0.745 kg/l, ethanol 9.0 and 0.789 kg/l (Heywood, Internal Combustion Engine Fundamentals, table
/// D.4).
double stoichiometricRatio(double ethanolVolumeFraction);

}  // namespace brusk::units
