// True air over the controller's own, sample by sample: r = (lambda measured / lambda asked) (1 + short) (1 + long),
// the wideband read one delay later; above 1 the engine had more air than the controller thought.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/evidence/Delay.h"
#include "core/evidence/Filter.h"
#include "core/evidence/Taint.h"

namespace brusk::evidence {

/// Which samples count.
struct SettlingRules {
    double window_s = 0.4;      ///< how long before the sample everything must be quiet
    double speedStep_rpm = 60;  ///< largest change over `step_s`
    double pressureStep_kPa = 2.0;
    double throttleStep_pct = 2.5;
    double step_s = 0.2;
    double warm_C = 65;
    double afterCut_s = 1.5;
    double afterStart_s = 10;       ///< more is injected than is asked for, and walls are wet from cranking
    double afterStop_s = 60;        ///< the intake sensor is soaked with heat when the car has stood
    double lambdaAskedStep = 0.02;  ///< largest change of the asked lambda within the delay
    double leastLambda = 0.62;      ///< beyond these the wideband only says "out of range"
    double mostLambda = 1.9;
    double mostPurge_pct = 2;  ///< of the purge valve's duty
    std::string expression;    ///< of the recording's channels: where it is nil the sample is left out; empty: none
};

/// The samples of one drive that count (n each).
struct MixtureSamples {
    std::vector<uint32_t> row;       ///< on the drive's clock
    std::vector<float> ratio;        ///< r, of the air that the controller used
    std::vector<float> density;      ///< r of what its speed-density model said; NaN where that is not known
    std::vector<float> metered;      ///< the same of what its airflow meter said
    std::vector<float> airChange_s;  ///< d ln(air) / dt, 1/s
    size_t size() const { return row.size(); }
};

/// The ratio told by the trims against that told by the recorded pulse.
struct FormsCompared {
    size_t samples = 0;
    double mean = 0;    ///< of the logarithm of pulses' over trims'
    double spread = 0;  ///< standard deviation
    /// They must agree where both hold.
    bool agree() const { return samples == 0 || (mean < kMost && mean > -kMost); }
    static constexpr double kMost = 0.01;
};

/// True air over estimated air; trims as fractions. Holds in closed and open loop alike.
inline double airRatioOf(double measured, double asked, double shortTrim, double longTrim) {
    return measured / asked * (1 + shortTrim) * (1 + longTrim);
}

/// Whether the mixture is told by a role: where that is tainted it tells nothing.
bool tellsMixture(roles::Role role);

/// Collects what counts of a drive; `taints` are those of this drive. The error is that of an expression which can't be
/// used.
[[nodiscard]] Result<MixtureSamples> mixtureSamples(const Sampled& drive, const EngineColumns& columns,
                                                    const WidebandDelay& delay, const SettlingRules& rules,
                                                    const std::optional<PulseModel>& pulses,
                                                    std::span<const Taint> taints, LeftOut& leftOut,
                                                    FormsCompared& forms);

}  // namespace brusk::evidence
