// Which car stands on the bench and what is fitted to it. All cars and makers are made up; dimensions are those usual
// for engines of the kind and decade.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <array>
#include <string_view>

#include "benchcar/plant/Drawn.h"

namespace brusk::benchcar {

/// What never changes with the owner's parts.
struct Engine {
    double displacement_m3;
    int cylinders;
    int banks;
    double compression;
    double manifold_m3;      ///< about one and a half displacements
    double throttleBore_m;   ///< sized for about 100 m/s at full load
    double inertia_kgm2;     ///< crank, flywheel and clutch
    double tunedAt_rpm;      ///< speed of best filling, by the length of the intake runners
    double exhaust_g;        ///< gas between valve and wideband: volume times density, pushed out before news arrives
    double bankSkew;         ///< share of air that bank 2 gets more than bank 1 (unequal runners)
    double cooling_WK;       ///< radiator, per kelvin and m/s of air
    double heatCapacity_JK;  ///< coolant, block and head
    bool turbo;
};

struct Chassis {
    double mass_kg;  ///< with driver and half a tank
    double dragArea_m2;
    double final;
    std::array<double, 7> gears;  ///< index 0 is neutral
};

struct Injectors {
    double flow_cm3min;   ///< at the car's fuel pressure
    double deadAt14_us;   ///< dead time at 14 V
    double deadSlope_us;  ///< more of it per volt below 14 V (coil current rises more slowly)
};

/// A pressure sensor's line: kPa per volt and kPa at zero volts.
struct PressureSensor {
    double slope_kPaV;
    double offset_kPa;
};

struct Turbocharger {
    double compressorRadius_m;  ///< at the wheel's tip
    double turbineArea_m2;      ///< of the nozzle that would pass the same flow
    double inertia_kgm2;        ///< both wheels and shaft
    double spring_kPa;          ///< boost at which the wastegate begins to open with no duty
};

/// At 1 mm of lift, degrees of the crank.
struct Cams {
    double overlap_deg;
    double duration_deg;  ///< of the intake valve
    /// Overlap and duration beyond the tame cams both engines were tuned with, as shares of what a wild road cam has
    /// more: 20 and 224 degrees.
    double moreOverlap() const { return (overlap_deg - 2) / 18; }
    double moreDuration() const { return (duration_deg - 208) / 16; }
};
inline constexpr Cams kTameCams{2, 208}, kWildCams{20, 224};

/// Where the wideband sits in the exhaust.
enum class WidebandPlace : uint8_t { BehindTurbine, BeforeTurbine, BehindCatalyst };

/// What the owner can change.
struct Parts {
    Injectors injectors;
    PressureSensor pressure;
    double airflowHousing_mm;  ///< bore of the airflow meter's housing
    Cams cams;
    Turbocharger turbo;
    double intercooler;  ///< effectiveness: share of the possible cooling that is reached
    double tyreRadius_m;
    double fuelPressure_kPa = 300;  ///< over the manifold; over the weather where the regulator has no hose to it
    bool regulatorReferenced = true;
    WidebandPlace wideband = WidebandPlace::BehindTurbine;
    double exhaustBore = 1;  ///< of the pipe, over the stock one
    double thermostat_C = 86;
};

struct Fuel {
    double octane_RON = 98;
    double ethanol = 0;  ///< share by volume
};

struct Build {
    std::string_view name;
    Engine engine;
    Chassis chassis;
    Parts parts;
    Fuel fuel;
    Drawn drawn{};
};

inline constexpr Engine kHeronEngine{1598e-6, 4, 1, 9.6, 2.4e-3, 0.056, 0.16, 3900, 0.72, 0, 14, 26000, true};
inline constexpr Engine kCraneEngine{2792e-6, 6, 2, 11.4, 4.4e-3, 0.068, 0.24, 4100, 0.60, 0.015, 17, 36000, false};
inline constexpr Chassis kHeronChassis{1340, 0.66, 4.06, {0, 3.58, 2.05, 1.37, 1.03, 0.84, 0.69}};
inline constexpr Chassis kCraneChassis{1560, 0.70, 3.73, {0, 3.36, 2.05, 1.42, 1.08, 0.86, 0.71}};

// Makers' figures: 380 and 620 cm3/min at 3 bar; the owner's fuel pressure regulator holds 3.5 bar, so the new ones
// flow 620 sqrt(3.5 / 3). Sensors of 2.5 and 3.5 bar absolute, 0.4 V at 20 kPa and 4.65 V at full scale. 205/55 R16 and
// 225/40 R18 roll on 0.306 and 0.312 m.
inline constexpr Parts kHeronStockParts{
    {380, 870, 95}, {54.118, -1.647}, 70, kTameCams, {0.0232, 2.9e-4, 1.5e-5, 45}, 0.62, 0.306};
inline constexpr Parts kHeronFittedParts{
    {669.7, 1010, 118}, {77.647, -11.059}, 82, kWildCams, {0.0250, 3.5e-4, 2.2e-5, 62}, 0.80, 0.312, 350};
inline constexpr Parts kCraneStockParts{{290, 810, 90}, {27.294, -1.118}, 80, kTameCams, {}, 0, 0.318};
// An owner's Crane: 360 cm3/min injectors, a 75 mm throttle, 245/40 R18 tyres.
inline constexpr Engine kCraneWideEngine{2792e-6, 6, 2, 11.4, 4.4e-3, 0.075, 0.24, 4100, 0.60, 0.015, 17, 36000, false};
inline constexpr Parts kCraneFittedParts{{360, 960, 110}, {27.294, -1.118}, 80, kTameCams, {}, 0, 0.325};

inline constexpr Build kHeronStock{"heron", kHeronEngine, kHeronChassis, kHeronStockParts, {98, 0}};
inline constexpr Build kHeronFitted{"heron-fitted", kHeronEngine, kHeronChassis, kHeronFittedParts, {98, 0.10}};
inline constexpr Build kCraneFitted{"crane-fitted", kCraneWideEngine, kCraneChassis, kCraneFittedParts, {98, 0}};
inline constexpr Build kCraneStock{"crane", kCraneEngine, kCraneChassis, kCraneStockParts, {98, 0}};

/// A build by its name; null when there is none.
const Build* buildNamed(std::string_view name);
/// One car of this build: what the seed draws of it.
Build oneOf(Build build, uint64_t seed);

}  // namespace brusk::benchcar
