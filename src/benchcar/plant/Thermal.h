// Coolant, fans, battery, alternator and what hangs on the belt.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "benchcar/plant/Build.h"
#include "benchcar/plant/Faults.h"
#include "benchcar/plant/TrueState.h"

namespace brusk::benchcar {

namespace thermal {
inline constexpr double kEvery_s = 0.05;           // slow things are stepped at 20 Hz
inline constexpr double kOpening_K = 8;            // from where the thermostat begins to open until it is open
inline constexpr double kShut = 0.03;              // what it lets pass when shut
inline constexpr double kStill_WK = 90;            // radiator in still air
inline constexpr double kFan_WK = 420;             // one fan stage more
inline constexpr double kCompressorHeat_W = 2500;  // the air conditioning's condenser sits before the radiator
inline constexpr double kRest_V = 12.4;            // a good battery at rest
inline constexpr double kCranking_V = 10.6;        // under the starter
inline constexpr double kCharging_V = 14.0;        // alternator, above 2500 rpm
inline constexpr double kSlowCharging_V = 13.4;    // and near no speed
inline constexpr double kFan_V = 0.35;             // drop by a fan at idle
inline constexpr double kBatteryLag_s = 0.8;
inline constexpr double kLamps_V = 0.25;        // drop by the headlamps at idle
inline constexpr double kCrankingDrop_V = 2.6;  // of a weak battery under the starter
inline constexpr double kCovered = 0.10;        // of the air that still passes a covered radiator
inline constexpr double kLamps_Nm = 1.1;        // the headlamps' current through the alternator, at idle speed
inline constexpr double kAlternator_Nm = 1.6;   // on the crank, without consumers
inline constexpr double kFan_Nm = 1.8;          // a fan's current through the alternator, at idle speed
inline constexpr double kCompressor_Nm = 9;     // air conditioning
}  // namespace thermal

struct Consumers {
    int fans = 0;  ///< stages that run
    bool compressor = false;
};

class Thermal {
  public:
    explicit Thermal(const Build& build) : build_(build) {}
    void step(TrueState& s, const Consumers& consumers, const Faults& faults);

  private:
    double wanted_V(const TrueState& s, const Consumers& consumers, const Faults& faults);

    const Build& build_;
    double drained_V_ = 0;  ///< since the alternator gives nothing
};

}  // namespace brusk::benchcar
