// What the controller had learned at both ends of a drive, and what that means for a map that is put right: the trims
// stay when the map is flashed.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/calibration/Calibration.h"
#include "core/evidence/Drives.h"

namespace brusk::evidence {

/// The group of a recording that keeps them: a row when it began and one when it ended.
inline constexpr std::string_view kLearnedGroup = "learned";

/// In the unit of its role; NaN where an end was not told.
struct LearnedValue {
    roles::Role role;
    std::string name;
    double from = 0, to = 0;
};
/// Empty for recordings that keep none.
std::vector<LearnedValue> learnedOf(const recording::Recording& recording);

/// How far the true mixture of a pull lies from what is asked, in per cent of lambda: above nil lean.
struct FirstPull {
    double withLearned_pct = 0;  ///< what was learned left as it is
    double cleared_pct = 0;      ///< what was learned cleared
    double trim_pct = 0;         ///< the learned trim that acts there
    std::string sentence() const;
};
/// What to expect of the first pull once the map is right: the learned trim that acts at the greatest airflow that was
/// driven, by what the newest drive left. Nothing where no drive kept what was learned.
std::optional<FirstPull> firstPull(const calibration::Calibration& inCar, const Drives& drives);

}  // namespace brusk::evidence
