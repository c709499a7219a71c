// The base as a whole step: proposals for the round that is looked at, their stages, what contradicts itself.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/carfolder/CarFolder.h"
#include "core/job/Garage.h"
#include "core/proposals/BaseCalibration.h"
#include "core/proposals/Consistency.h"
#include "core/proposals/Stages.h"

namespace brusk::job {

/// The proposals for the round that is selected: the base where it is the original, the limits of the next drives on
/// one that was built on it. `decisions`, `stage` and `donor` are those kept in the folder.
struct BaseWork {
    proposals::BasePlan plan;
    bool onOriginal = true;
    proposals::PartNumbers expected;           ///< the parts that the original was made for, as far as anybody can tell
    std::vector<proposals::StagePlan> stages;  ///< of the base with nothing tightened
    std::vector<proposals::Contradiction> contradictions;
};
[[nodiscard]] Result<BaseWork> baseWork(const Kit& kit, const carfolder::CarFolder& folder, int64_t round,
                                        const proposals::BuildSheet& sheet, const proposals::Decisions& decisions,
                                        proposals::Stage stage, const proposals::Donor* donor = nullptr);

}  // namespace brusk::job
