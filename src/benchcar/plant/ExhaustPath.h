// From the valves to the sensors: transport, mixing, and what a leak or a second pipe does to the wideband.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <array>

#include "benchcar/plant/Build.h"
#include "benchcar/plant/Faults.h"
#include "benchcar/plant/Noise.h"
#include "benchcar/plant/TrueState.h"

namespace brusk::benchcar {

namespace exhaust {
inline constexpr double kDelayConstant_s = 0.035;  // half a cycle and mixing at full speed
inline constexpr double kMostDelay_s = 1.6;        // the history's length
inline constexpr double kWidebandLag_s = 0.045;    // of the pumping cell
inline constexpr double kNarrowLag_s = 0.03;       // warm
inline constexpr double kNarrowCold_s = 0.5;       // more of it while the tip heats up
inline constexpr double kNarrowHeating_s = 12;     // by its heater
inline constexpr double kNearer = 0.75;            // the narrowband sits nearer to the valves than the wideband
inline constexpr double kLeakFlow_gs = 0.5;        // outside air that a leak lets in at idle
inline constexpr double kSecondPipe_rpm = 3800;    // where a second pipe opens
}  // namespace exhaust

class ExhaustPath {
  public:
    ExhaustPath(const Build& build, Noise& noise);
    void step(TrueState& s, const Faults& faults);

  private:
    double past(size_t bank, long tick, double delay_s) const;

    const Build& build_;
    Noise& noise_;
    static constexpr size_t kHistory = 2048;
    std::array<std::array<float, kHistory>, 2> fuelShare_{};  ///< 1/lambda of each bank, one a millisecond
    double widebandLag_ = 1;
    std::array<double, 2> narrow_{1, 1};
    double heated_ = 0;
};

}  // namespace brusk::benchcar
