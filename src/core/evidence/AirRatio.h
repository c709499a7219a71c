// True air over estimated air, sample by sample.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <vector>

#include "core/evidence/Settling.h"

namespace brusk::evidence {

/// The samples that count, over all recordings (n each). r = (lambda_measured / lambda_asked) (1 + short) (1 + long),
/// the wideband read one delay later; above 1 the engine had more air than the controller thought.
struct AirSamples {
    std::vector<float> x;          ///< engine speed, rpm
    std::vector<float> y;          ///< manifold pressure, kPa
    std::vector<float> ratio;      ///< r
    std::vector<float> time_s;     ///< within its recording
    std::vector<uint16_t> source;  ///< which recording
    SettlingCost cost;
    WidebandDelay delay;
    size_t size() const { return ratio.size(); }
};

/// True air over estimated air; trims as fractions. Holds in closed and open loop alike.
inline double airRatioOf(double measured, double asked, double shortTrim, double longTrim) {
    return measured / asked * (1 + shortTrim) * (1 + longTrim);
}

/// Measures the delay over all recordings, then collects what counts. The error names the channel that is missing.
[[nodiscard]] Result<AirSamples> airSamples(const std::vector<const recording::Recording*>& recordings,
                                            const SettlingRules& rules);

}  // namespace brusk::evidence
