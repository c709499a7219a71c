// From the valves to the sensors: transport, mixing, and what leaks, a second pipe, a catalyst or the pressure before a
// turbine do to the wideband.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <array>

#include "benchcar/plant/Build.h"
#include "benchcar/plant/Faults.h"
#include "benchcar/plant/Noise.h"
#include "benchcar/plant/TrueState.h"

namespace brusk::benchcar {

namespace exhaust {
inline constexpr double kDelayConstant_s = 0.035;      // half a cycle and mixing at full speed
inline constexpr double kMostDelay_s = 1.6;            // the history's length
inline constexpr double kWidebandLag_s = 0.045;        // of the pumping cell
inline constexpr double kNarrowLag_s = 0.03;           // warm
inline constexpr double kNarrowCold_s = 0.5;           // more of it while the tip heats up
inline constexpr double kNarrowHeating_s = 12;         // by its heater
inline constexpr double kNearer = 0.75;                // the narrowband sits nearer to the valves than the wideband
inline constexpr double kSecondPipe = 0.27;            // the fuel's share of still, airy gas in a pipe that is shut
inline constexpr double kCellPressure_perkPa = 0.002;  // of a pumping cell, more current by the pressure around it
inline constexpr double kCatalyst_s = 2;               // what a catalyst's oxygen store holds back
inline constexpr double kColdShows = 0.75;             // lambda that a cold cell shows
// Where the pipe's gas counts by its state, M = p V / (R T): its volume is that which holds the engine's exhaust_g at
// this pressure and temperature. The gas cools on its way; a part of a working cycle passes before it is there at all.
inline constexpr double kPipe_K = 760, kPipe_kPa = 104, kPipeWarmth = 0.75, kCycles = 0.75;
}  // namespace exhaust

class ExhaustPath {
  public:
    ExhaustPath(const Build& build, Noise& noise);
    void step(TrueState& s, const Faults& faults);

  private:
    double past(size_t bank, long tick, double delay_s) const;
    /// Seconds since the gas left the valves that now comes by, where the pipe holds `mass_g` between.
    double travelled_s(const TrueState& s, double mass_g, long& leftAt) const;
    void carry(TrueState& s);
    void widebandSees(TrueState& s, double share, const Faults& faults);

    const Build& build_;
    Noise& noise_;
    static constexpr size_t kHistory = 2048;
    std::array<std::array<float, kHistory>, 2> fuelShare_{};  ///< 1/lambda of each bank, one a millisecond
    std::array<double, kHistory> passed_g_{};                 ///< gas out of one bank's valves until then
    double passedNow_g_ = 0;
    long leftForWideband_ = 0, leftForNarrow_ = 0;  ///< ticks when what now comes by left the valves
    double narrowDelay_s_ = 0.2;
    double catalyst_ = 1;
    double widebandLag_ = 1;
    double cold_s_ = -1;  ///< since the wideband is cold; negative: it is not
    std::array<double, 2> narrow_{1, 1};
    double heated_ = 0;
};

}  // namespace brusk::benchcar
