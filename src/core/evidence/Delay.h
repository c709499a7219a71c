// How late the wideband tells what was burnt: the gas between valves and sensor must be pushed out, the cycle takes its
// time, and the sensor itself follows with a lag.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <vector>

#include "core/evidence/EngineColumns.h"
#include "core/evidence/PulseModel.h"

namespace brusk::evidence {

/// transport = cycles 120 / n + M(T) / exhaust flow, M = p V / (R T); then what the electronics take, and a first-order
/// lag in 1 / lambda.
struct WidebandDelay {
    enum class From { Default, Borrowed, Measured };

    double mass_g = 0.9;     ///< of gas at kReference_K, of all banks that share the flow
    double cycles = 0.75;    ///< from the injection to the open exhaust valve
    double lag_s = 0.06;     ///< of the sensor
    double after_s = 0.008;  ///< from the sensor to the recording, and from the recorded number to the injection
    // Standard deviations.
    double massDoubt = 0.6;  ///< share of mass_g
    double cyclesDoubt = 0.12;
    double together = 0;    ///< covariance of the two: what one takes the other gives
    double lagDoubt = 0.5;  ///< share of lag_s
    From from = From::Default;
    size_t events = 0;  ///< cuts, steps of the target and of the trims that it was found by

    static constexpr double kReference_K = 760;

    /// Seconds from the injection to the sensor, where flow (kg/h of air), speed and gas are steady; `exhaust_C` NaN
    /// where nobody tells.
    double transport_s(double airflow_kgh, double speed_rpm, double exhaust_C) const;
    /// The standard deviation of that.
    double doubt_s(double airflow_kgh, double speed_rpm, double exhaust_C) const;
    /// When a steady engine's mixture is told: all of it.
    double at(double airflow_kgh, double speed_rpm, double exhaust_C) const {
        return transport_s(airflow_kgh, speed_rpm, exhaust_C) + after_s + lag_s;
    }
    bool measured() const { return from == From::Measured; }
};

/// Fits what was injected to what was measured over begins of fuel cuts above 1,500 rpm, steps of the target and steps
/// of the trims under steady pressure. The default, with its doubt, when there is too little to see.
/// Where the pulses were recorded and can be reckoned with, they tell what was injected; else the trims and the target.
WidebandDelay measureDelay(const std::vector<EngineColumns>& drives, const std::optional<PulseModel>& pulses);

}  // namespace brusk::evidence
