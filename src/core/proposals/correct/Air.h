// From measured air ratios to a corrected air model (VE map), cell by cell.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/proposals/FromFactor.h"

namespace brusk::proposals {

/// Computes the correction of the map with the role "ve_map" from what its own model should have said. `calibration`
/// must be what the drives speak of: what was in the car, or what they were replayed with. The error names the channel
/// that a drive lacks.
[[nodiscard]] Result<TableCorrection> correctAir(const calibration::Calibration& calibration,
                                                 const evidence::Drives& drives, const Caution& caution);

}  // namespace brusk::proposals
