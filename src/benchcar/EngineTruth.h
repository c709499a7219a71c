// What is physically true of the engine and its parts, as no controller knows it: every constant with unit and reason.
// Mean-value models after Guzzella & Onder, Introduction to Modeling and Control of Internal Combustion Engine Systems
// (2nd ed.), chapter 2, and Heywood, Internal Combustion Engine Fundamentals.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <algorithm>
#include <cmath>

namespace brusk::benchcar {

/// A part of the car that the owner changed, or not.
struct Injectors {
    double flow_cm3min;   ///< at the car's fuel pressure
    double deadAt14_us;   ///< dead time at 14 V
    double deadSlope_us;  ///< more of it per volt below 14 V (coil current rises more slowly)
};
struct PressureSensor {
    double slope_kPaV;
    double offset_kPa;
};

struct Parts {
    Injectors injectors;
    PressureSensor pressure;
    bool wildCams;
    double ethanol;  ///< volume fraction of the fuel
};

// Makers' figures: 380 and 620 cm3/min at 3 bar; the owner's fuel pressure regulator holds 3.5 bar, so the new ones
// flow 620 sqrt(3.5 / 3); sensors of 2.5 and 3.5 bar absolute, 0.4 V at 20 kPa and 4.65 V at full scale.
inline constexpr Parts kStockParts{{380, 870, 95}, {54.118, -1.647}, false, 0.0};
inline constexpr Parts kFittedParts{{669.7, 1010, 118}, {77.647, -11.059}, true, 0.10};

namespace truth {

inline constexpr double kDisplacement_m3 = 1598e-6;
inline constexpr int kCylinders = 4;
inline constexpr double kCompression = 9.6;     // port-injected turbo engine of its decade
inline constexpr double kManifold_m3 = 2.4e-3;  // about one and a half displacements
inline constexpr double kThrottleBore_m = 0.056;
inline constexpr double kGasConstant = 287.05;  // J/(kg K), dry air
inline constexpr double kAmbient_kPa = 101.3;
inline constexpr double kInertia_kgm2 = 0.16;        // crank, flywheel and clutch
inline constexpr double kHeatingValue_Jkg = 42.8e6;  // petrol, Heywood table D.4
inline constexpr double kIndicatedEfficiency = 0.365;

/// Volumetric efficiency against manifold conditions, share of displacement. The pressure term is the residual-gas
/// model (Guzzella & Onder eq. 2.18): what stays in the clearance volume grows as the manifold empties. The speed term
/// is a tuned intake with its best filling near 3900 rpm.
inline double volumetricEfficiency(double rpm, double pressure_kPa, bool wildCams) {
    const double exhaust_kPa = 104 + 14 * (rpm / 6000) * (rpm / 6000);
    const double filling =
        (kCompression - std::pow(exhaust_kPa / std::max(pressure_kPa, 12.0), 1 / 1.35)) / (kCompression - 1);
    const double tuned = (rpm - 3900) / 1900;
    double ve = (0.775 + 0.125 * std::exp(-tuned * tuned) - 0.018 * (rpm / 6500) * (rpm / 6500)) * filling;
    if (wildCams) {
        // More overlap: exhaust flows back at low speed and low pressure, later closing fills better at high speed.
        const double slow = std::exp(-std::pow((rpm - 700) / 1500, 2));
        const double empty = std::clamp((115 - pressure_kPa) / 75, 0.0, 1.0);
        const double fast = std::exp(-std::pow((rpm - 4600) / 1500, 2));
        ve *= 1 - 0.17 * slow * empty - 0.05 * empty + 0.085 * fast;
    }
    return ve;
}

/// Share of the coolant's temperature in the charge's: slow air has time to warm up.
inline double chargeBlend(double airflow_kgh) {
    return 0.12 + 0.36 * std::exp(-airflow_kgh / 60);
}

/// Stoichiometric ratio and density of the blend, by mass (petrol 14.7 and 0.745 kg/l, ethanol 9.0 and 0.789 kg/l).
inline double blendDensity(double ethanol) {
    return ethanol * 0.789 + (1 - ethanol) * 0.745;
}
inline double blendStoich(double ethanol) {
    return (ethanol * 0.789 * 9.0 + (1 - ethanol) * 0.745 * 14.7) / blendDensity(ethanol);
}

/// Transport from valve to wideband: a constant for mixing, and the exhaust volume to be pushed out (g over g/s).
inline constexpr double kDelayConstant_s = 0.035;
inline constexpr double kDelayMass_g = 0.72;
inline constexpr double kWidebandLag_s = 0.045;

}  // namespace truth
}  // namespace brusk::benchcar
