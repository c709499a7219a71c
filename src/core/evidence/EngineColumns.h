// The channels of the mixture ratio, as views into one drive.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/evidence/Sampled.h"

namespace brusk::evidence {

/// In the units of their roles, on the drive's clock; those of the second part are empty where they were not recorded.
struct EngineColumns {
    std::span<const double> time_s;
    Column speed_rpm, pressure_kPa, throttle_pct, coolant_C, lambdaAsked, shortTrim_pct, longTrim_pct, airflow_kgh;
    Column fuelCut;   ///< nil when burning
    Series wideband;  ///< lambda, on its own clock; empty where there is none: then closed loops tell the mixture

    Column exhaust_C, pulse_us, duty_pct, battery_V, air_mg, airByDensity_mg, airByMeter_mg, intake_C, road_kmh, limp,
        purge_pct, airSource;

    double exhaustAt(size_t i) const { return exhaust_C.empty() ? std::nan("") : static_cast<double>(exhaust_C[i]); }
    /// What is injected against what stoichiometric air asks for: (1 + short) (1 + long) / lambda asked; nil in a cut.
    double share(size_t i) const {
        if (fuelCut[i] != 0) return 0;
        return (1 + static_cast<double>(shortTrim_pct[i]) / 100) * (1 + static_cast<double>(longTrim_pct[i]) / 100) /
               static_cast<double>(lambdaAsked[i]);
    }
};

/// Finds the channels by role; the error names the first that was not recorded. Views into `drive`.
[[nodiscard]] Result<EngineColumns> engineColumns(const Sampled& drive);

}  // namespace brusk::evidence
