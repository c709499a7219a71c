// Which samples count: settled, warm, burning, and seen by the wideband in time.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "core/base/Result.h"
#include "core/recording/Recording.h"

namespace brusk::evidence {

/// The channels of the air ratio, on the controller's clock (n samples each).
struct EngineColumns {
    std::vector<double> time_s;
    std::vector<double> speed_rpm;
    std::vector<double> pressure_kPa;
    std::vector<double> throttle_pct;
    std::vector<double> coolant_C;
    std::vector<double> lambdaAsked;
    std::vector<double> shortTrim;  ///< fraction
    std::vector<double> longTrim;   ///< fraction
    std::vector<double> airflow_kgh;
    std::vector<double> fuelCut;  ///< 0 when burning
    // The wideband on its own clock.
    std::vector<double> widebandTime_s;
    std::vector<double> wideband;  ///< lambda
};

/// Finds the channels by role; the error names the first that was not recorded.
[[nodiscard]] Result<EngineColumns> engineColumns(const recording::Recording& recording);

struct SettlingRules {
    double window_s = 0.4;      ///< how long before the sample everything must be quiet
    double speedStep_rpm = 60;  ///< largest change over `step_s`
    double pressureStep_kPa = 2.0;
    double throttleStep_pct = 2.5;
    double step_s = 0.2;
    double warm_C = 65;
    double afterCut_s = 1.5;
    double lambdaAskedStep = 0.02;  ///< largest change of the asked lambda within the delay
    double leastLambda = 0.62;      ///< beyond these the wideband only says "out of range"
    double mostLambda = 1.9;
};

/// How many samples each rule cost; a sample is booked on the first rule it breaks.
struct SettlingCost {
    size_t recorded = 0;
    size_t settled = 0;
    size_t notRunning = 0;
    size_t cold = 0;
    size_t fuelCut = 0;
    size_t moving = 0;
    size_t askedChanged = 0;
    size_t noWideband = 0;
    SettlingCost& operator+=(const SettlingCost& other);
};

/// Delay of the wideband: tau = a + b / exhaust flow, the flow taken as the air's (kg/h).
struct WidebandDelay {
    double a_s = 0.08;
    double b_s_kgh = 2.6;
    double correlation = 0;  ///< of injected and measured steps at this delay; 0 when it is the default
    bool measured = false;
    double at(double airflow_kgh) const;
};

/// Indices of the samples that count, in order.
std::vector<uint32_t> settledSamples(const EngineColumns& columns, const WidebandDelay& delay,
                                     const SettlingRules& rules, SettlingCost& cost);

/// Finds the delay by the largest correlation of steps of the injected 1/lambda with steps of the measured one, over
/// all recordings; the default when there is too little to see.
WidebandDelay measureDelay(const std::vector<EngineColumns>& recordings);

}  // namespace brusk::evidence
