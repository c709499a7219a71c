// Work, heat, knock and friction. Heywood, Internal Combustion Engine Fundamentals: sections 3.5, 9.6, 13.5 and 15.4.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "benchcar/plant/Build.h"
#include "benchcar/plant/Noise.h"
#include "benchcar/plant/TrueState.h"

namespace brusk::benchcar {

namespace burn {
inline constexpr double kEfficiency = 0.365;  // indicated, best spark, lambda 0.93 to 1, at this compression:
inline constexpr double kReferenceCompression = 9.6;
inline constexpr double kCycleExponent = 0.3;  // fuel-air cycle: 1 - r^-0.3 (Heywood, section 5.5.1)
inline constexpr double kSparkLoss = 0.00042;  // of it, per degree squared from the best spark (Heywood fig. 15-3)
inline constexpr double kRichHeatLoss = 0.30;  // heat not set free per unit of lambda below 1 (CO and H2 stay)
inline constexpr double kCoolantShare = 0.24;  // of the heat, at high speed (Heywood fig. 12-26)
inline constexpr double kCoolantSlow = 0.10;   // more of it when slow
inline constexpr double kLeanLimit = 1.75, kRichLimit = 0.52;  // beyond them nothing ignites
inline constexpr double kExhaustLag_s = 0.35;                  // of the gas temperature, by port and manifold metal
inline constexpr double kReferenceFill_mgcm3 = 1.184;          // air at 25 degC and 100 kPa: "filling 1"
inline constexpr double kKnockScatter_deg = 1.1;               // of the limit from cycle to cycle
// With the other shapes each combustion has its own limit; a few in a hundred knock far earlier than the rest, as hot
// spots and leftovers will have it: an exponential tail (the intensity of knock is distributed so: Heywood,
// section 9.6).
inline constexpr double kKnockOften_deg = 0.9;  // scatter of the many
inline constexpr double kKnockRare = 0.03, kKnockRare_deg = 1.1;
inline constexpr double kCoil_H = 3.2e-3, kCoil_Ohm = 0.55, kCoilEnough_A = 6.5;  // a usual pencil coil
}  // namespace burn

/// Air per cylinder against the swept volume at reference density.
double filling(const Engine& engine, double air_mg);
/// Spark for most torque, degrees before top dead centre.
double bestSpark_deg(const Engine& engine, double rpm, double air_mg);
/// Spark beyond which the engine knocks: later with filling, heat and compression; earlier with speed, octane, ethanol
/// and a rich mixture.
double knockSpark_deg(const Build& build, double rpm, double air_mg, double chargeTemp_K, double lambda);
/// Indicated torque of all cylinders that get this air.
double indicatedTorque_Nm(const Build& build, double rpm, double air_mg, double lambda, double spark_deg);
/// Temperature of the gas that leaves the cylinders: what work and coolant leave of the heat, over the gas.
double exhaustTemperature_C(const Build& build, double rpm, double air_mg, double lambda, double spark_deg,
                            double chargeTemp_K);
/// Friction (Heywood eq. 13.6a scaled to a modern engine; more when cold) and pumping work, as torque.
double lostTorque_Nm(const Engine& engine, double rpm, double coolant_C, double pressure_kPa, double back_kPa);
/// Milliseconds of dwell that charge the coil at a battery voltage.
double dwellNeeded_ms(double battery_V);

class Combustion {
  public:
    Combustion(const Build& build, Noise& noise);
    void step(TrueState& s, double spark_deg, double dwell_ms);

  private:
    double misfires(const TrueState& s, double dwell_ms);
    void knock(TrueState& s);
    double loudestKnock(TrueState& s);
    /// Share of a good cylinder's torque that one gives which lacks so much of its fuel.
    double weakShare(const BankState& bank, double lacks, double spark_deg, double rpm) const;

    const Build& build_;
    Noise& noise_;
    double fullest_;  ///< share of air that the fullest cylinder takes more
    double gain_;     ///< by the compression, of the reference's work
    double rough_ = 0;
    double fired_ = 0;     ///< combustions since the last window, the one that is not over yet in part
    size_t cylinder_ = 0;  ///< that fires next
    double cycle_ = 0;     ///< share of a working cycle that is over
};

}  // namespace brusk::benchcar
