// Air: throttle, manifold, filling of the cylinders. Mean-value models after Guzzella & Onder, Introduction to Modeling
// and Control of Internal Combustion Engine Systems (2nd ed.), chapter 2.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "benchcar/plant/Build.h"
#include "benchcar/plant/Faults.h"
#include "benchcar/plant/TrueState.h"

namespace brusk::benchcar {

namespace air {
inline constexpr double kGasConstant = 287.05;  // J/(kg K), dry air
inline constexpr double kDischarge = 0.86;      // of a butterfly, G&O section 2.3.2
inline constexpr double kLeak_m2 = 1.4e-6;      // round the closed plate
inline constexpr double kClosedShare = 0.012;   // the plate's angle on its stop, share of a right angle
inline constexpr double kThrottleLag_s = 0.04;  // electric drive, first order
inline constexpr double kRestOpening = 0.07;    // where two springs hold the plate that has no current
inline constexpr double kAdiabatic = 1.4;       // of air
inline constexpr double kDensity_kgm3 = 1.184;  // at 25 degC and 100 kPa
inline constexpr double kPolytropic = 1.35;     // of the residual gas
inline constexpr double kPurge_gs = 1.2;        // air through a wide open purge valve into a good vacuum
inline constexpr double kVapour_gs = 0.12;      // fuel with it, where nobody says how full the canister is
}  // namespace air

/// Volumetric efficiency against manifold conditions, share of displacement. The pressure term is the residual-gas
/// model (G&O eq. 2.18): what stays in the clearance volume grows as the manifold empties. The speed term is a tuned
/// intake with its best filling at the engine's tuned speed. Wilder cams: exhaust flows back at low speed and low
/// pressure, later closing fills better at high speed.
double volumetricEfficiency(const Build& build, double rpm, double pressure_kPa, double ambient_kPa = 101.3);

/// Share of the coolant's temperature in the charge's: slow air has time to warm up.
double chargeBlend(double airflow_kgh);
double chargeTemperature_K(double intake_C, double coolant_C, double airflow_gs);

/// Compressible flow through an orifice over its choked value (G&O eq. 2.10), linear near equal pressures.
double flowFunction(double ratio);
/// Effective area at an opening of 0 to 1, and its inverse.
double throttleArea_m2(const Engine& engine, double opening);
double throttleOpening(const Engine& engine, double area_m2);
/// Flow past the throttle at an opening, kg/s.
double throttleFlow_kgs(const Engine& engine, double opening, double upstream_kPa, double pressure_kPa,
                        double upstream_C);
/// Air in each cylinder, grams.
double cylinderAir_g(const Engine& engine, double ve, double pressure_kPa, double chargeTemp_K);

class Breathing {
  public:
    explicit Breathing(const Build& build) : build_(build) {}
    /// `purge`: how far the purge valve is asked to open, 0 to 1.
    void step(TrueState& s, double wantedThrottle, double purge, const Faults& faults);

  private:
    void leak(TrueState& s, double purge, const Faults& faults) const;

    const Build& build_;
    double ve_ = 0.7;
};

}  // namespace brusk::benchcar
