// Turbocharger, wastegate and intercooler: power balance of two wheels on one shaft (G&O sections 2.4.3 and 2.7.2).
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "benchcar/plant/Build.h"
#include "benchcar/plant/TrueState.h"

namespace brusk::benchcar {

namespace turbo {
inline constexpr double kAirHeat_JkgK = 1005;     // cp of air
inline constexpr double kGasHeat_JkgK = 1150;     // cp of exhaust at 900 degC
inline constexpr double kGasConstant = 290;       // J/(kg K), exhaust
inline constexpr double kHead = 1.25;             // head coefficient at no flow, cp dT over half the tip speed squared
inline constexpr double kHeadFall = 62;           // its fall with the flow coefficient squared: a usual radial wheel
inline constexpr double kBestFlow = 0.062;        // flow coefficient of best efficiency
inline constexpr double kBestCompressor = 0.74;   // efficiency there
inline constexpr double kCompressorFall = 70;     // its fall with the distance squared
inline constexpr double kLeastCompressor = 0.45;  // far from it
inline constexpr double kTurbine = 0.66;          // efficiency, bearings included
inline constexpr double kPipe_m3 = 5.5e-3;        // compressor to throttle, intercooler included
inline constexpr double kExhaust_m3 = 2.2e-3;     // valves to turbine
inline constexpr double kDuct_s = 0.012;          // inertia of the air in the duct, as a lag of its flow
inline constexpr double kBearing_Nms = 4.0e-7;    // viscous drag of shaft and oil
inline constexpr double kGateArea_m2 = 5.0e-4;    // wastegate wide open
inline constexpr double kGateRange_kPa = 42;      // of diaphragm pressure from closed to wide open
inline constexpr double kGateLag_s = 0.05;        // actuator and its hose
inline constexpr double kBleed = 0.82;            // share of the signal that full duty takes from the diaphragm
inline constexpr double kSoak_JK = 2600;          // heat capacity of the intercooler's metal
inline constexpr double kSoakAir_WK = 9;          // metal to outside air, per m/s of it
}  // namespace turbo

/// Gauge boost at which spring and duty balance, kPa: the pressure the base duty is worked out from.
double springBoost_kPa(const Turbocharger& t, double duty);
double dutyForBoost(const Turbocharger& t, double boost_kPa);

class Turbo {
  public:
    explicit Turbo(const Build& build) : build_(build) {}
    /// `duty` 0 to 1; `stuck` holds the gate at a share instead (negative: it moves).
    void step(TrueState& s, double duty, double stuck);

  private:
    double narrowing() const;
    void compress(TrueState& s);
    void expand(TrueState& s, double duty, double stuck);

    const Build& build_;
    double flow_kgs_ = 0;
    double metal_C_ = 24;
    double compressorPower_W_ = 0;
};

}  // namespace brusk::benchcar
