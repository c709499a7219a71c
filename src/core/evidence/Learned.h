// What the controller had learned at both ends of a drive.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

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

}  // namespace brusk::evidence
