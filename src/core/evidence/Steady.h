// Stretches of a few seconds in which nothing moves, each as one row of means: what the loop's swing, the sensors'
// noise and the way to the sensors average out of.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cmath>
#include <vector>

#include "core/evidence/Drives.h"

namespace brusk::evidence {

/// Means of one stretch; NaN for what was not recorded.
struct SteadyRow {
    size_t drive = 0;
    double from_s = 0, to_s = 0;
    double speed_rpm = 0, pressure_kPa = 0, airflow_kgh = 0;
    double asked = 0;     ///< lambda
    double measured = 0;  ///< lambda
    double shortTrim_pct = 0, longTrim_pct = 0;
    double shortTrim2_pct = 0, longTrim2_pct = 0;  ///< of the second bank
    double meter_kgh = 0;                          ///< of the airflow meter
    double density_mg = 0, metered_mg = 0;         ///< air a cylinder, by either model
    double air_mg = 0;                             ///< the one in use
    double throttle_pct = 0, target_pct = 0;
    double road_kmh = 0;
    double pulse_ms = 0;  ///< of the injectors, with what they need to open
    double battery_V = 0;
    double coolant_C = 0, intake_C = 0;
    bool byMeter = false;  ///< the meter's air is in use
    bool closed = false;   ///< the loop works: the short trim moves
    bool idle = false;     ///< car stands, foot up
    /// What is injected over what was computed.
    double trim() const { return (1 + shortTrim_pct / 100) * (1 + longTrim_pct / 100); }
    double trim2() const { return (1 + shortTrim2_pct / 100) * (1 + longTrim2_pct / 100); }
    /// Measured over asked.
    double off() const { return measured / asked; }
    /// True air over the air in use, as far as the wideband is believed.
    double ratio() const { return off() * trim(); }
    /// The loop may be at its end: what it does not reach is in the exhaust.
    bool nearStop() const { return std::abs(shortTrim_pct) > 5; }
    /// The meter's air over the density model's.
    double models() const { return metered_mg / density_mg; }
};

/// Warm, burning, settled for a second before. The longer ones are cut into rows of about 3 s.
std::vector<SteadyRow> steadyRows(const Drives& drives);

/// y = at + slope x, least squares with what lies far off counted less (Huber 1964), and the standard deviations of
/// both.
struct Line {
    double at = std::nan(""), slope = std::nan("");
    double atDoubt = INFINITY, slopeDoubt = INFINITY;
    double spread = 0;  ///< of y about it
    size_t rows = 0;
    double operator()(double x) const { return at + slope * x; }
    /// How many of its standard deviations the slope is from nil.
    double sureness() const { return std::abs(slope) / slopeDoubt; }
};
/// Pairs with a NaN are left out; no line through fewer than four.
Line lineThrough(const std::vector<double>& x, const std::vector<double>& y);

}  // namespace brusk::evidence
