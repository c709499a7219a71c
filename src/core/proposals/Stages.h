// From the first start to full load: how hard the car may be driven, what to see first, and the limits that go with it.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/proposals/BaseCalibration.h"

namespace brusk::proposals {

struct StagePlan {
    Stage stage = Stage::Idle;
    // The region of the map.
    double fromSpeed_rpm = 0, toSpeed_rpm = 0;
    double toPressure_kPa = 0;
    double coverage_pct = 0;              ///< of the region's cells with enough samples, before the next stage
    std::vector<std::string> conditions;  ///< to pass before the next
    std::vector<std::string> watch;
    // Limits while it is driven; what the calibration has is never raised.
    double revLimit_rpm = 0;
    double boost_kPa = 0;    ///< over the weather
    double torqueShare = 1;  ///< of the ceiling
    std::string limits() const;
};

/// The four stages for a calibration as it will be when everything is let loose.
std::vector<StagePlan> firstStartPlan(const calibration::Calibration& calibration, const BuildSheet& sheet);

/// The limits of a stage on a round that was built on the base: `loose` is the base without any, `round` what is to be
/// driven next. Loosening is a proposal like any other.
[[nodiscard]] Result<BasePlan> planStage(const calibration::Calibration& round, const calibration::Calibration& loose,
                                         const BuildSheet& sheet, const Decisions& decisions, Stage stage);

}  // namespace brusk::proposals
