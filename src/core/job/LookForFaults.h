// What is wrong in what was driven is looked for when it is loaded, and what is sick left out of evidence, until
// somebody puts it back.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/evidence/Finding.h"
#include "core/job/LoadDrives.h"

namespace brusk::job {

/// The drives with what was found in them, without what that taints. `putBack`: checks whose taints count all the same.
DrivesPtr lookedAt(const DrivesPtr& drives, const calibration::Calibration& inCar,
                   const std::vector<std::string>& putBack);

/// Checks whose taints somebody put back into the evidence of a round.
[[nodiscard]] Result<std::vector<std::string>> putBackOn(const carfolder::CarFolder& folder, int64_t round);
/// Puts them back, or leaves them out again.
[[nodiscard]] Done putBack(carfolder::CarFolder& folder, int64_t round, const std::string& check, bool back);

}  // namespace brusk::job
