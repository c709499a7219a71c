// Quantities of the trade and the units they are written in.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <map>
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
    Density,
    Power,
    FuelFlow
};
inline constexpr Quantity kQuantities[] = {
    Quantity::Pressure, Quantity::Temperature, Quantity::AirFlow,     Quantity::FuelFlow, Quantity::VolumeFlow,
    Quantity::Mass,     Quantity::Speed,       Quantity::EngineSpeed, Quantity::Torque,   Quantity::Power,
    Quantity::Lambda,   Quantity::Angle,       Quantity::Time,        Quantity::Voltage,  Quantity::Ratio,
    Quantity::Length,   Quantity::Volume,      Quantity::Density};
/// "pressure", "air flow".
std::string_view quantityName(Quantity quantity);

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

/// Petrol: kilograms of air that burn one of it, and its density, g/cm3 (Heywood, table D.4).
inline constexpr double kPetrolRatio = 14.7, kPetrol_gcm3 = 0.745;

/// How numbers of one stored unit are shown: shown = scale * stored + offset.
struct Shown {
    std::string unit;
    double scale = 1;
    double offset = 0;
    double operator()(double stored) const { return stored * scale + offset; }
    double back(double shown) const { return (shown - offset) / scale; }
    /// A difference has no offset.
    double change(double stored) const { return stored * scale; }
    /// Decimals that tell as much as `stored` decimals of the stored unit do.
    int decimals(int stored) const;
    bool same() const { return scale == 1 && offset == 0; }
};

/// How numbers in `from` become numbers in `to`, also of rates ("mbar/V" in "kPa/V"); nothing when either is unknown or
/// they measure different quantities. Air-fuel ratios are lambda times the stoichiometric ratio.
std::optional<Shown> conversion(std::string_view from, std::string_view to, double stoichiometric = kPetrolRatio);

/// The unit a user wants for each quantity; quantities without a wish stay in the unit they are stored in.
struct Preferences {
    std::map<Quantity, std::string> wanted;
    /// For air-fuel ratios: kilograms of air that burn a kilogram of the fuel in the tank. The car's build sheet knows.
    double stoichiometric = kPetrolRatio;

    Shown shown(std::string_view storedUnit) const;
    /// "pressure=psi;lambda=AFR;stoichiometric=14.7", for keeping; unknown parts of a text are passed over.
    std::string text() const;
    static Preferences fromText(std::string_view text);
    bool operator==(const Preferences&) const = default;
};

/// "14.2 psi" (or "14,2psi", "12.5 AFR") in every other unit of its quantity; empty when it is not a number and a unit.
struct Converted {
    double value = 0;
    std::string unit;
};
std::vector<Converted> convertAll(std::string_view text, double stoichiometric);

/// Mass fraction weighted stoichiometric air-fuel ratio of petrol with `ethanolVolumeFraction` (0 to 1) of ethanol.
/// Petrol 14.7 and 0.745 kg/l, ethanol 9.0 and 0.789 kg/l (Heywood, Internal Combustion Engine Fundamentals, table
/// D.4).
double stoichiometricRatio(double ethanolVolumeFraction);

}  // namespace brusk::units
