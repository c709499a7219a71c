// What was driven on a round and may be learned from.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/carfolder/CarFolder.h"
#include "core/evidence/Drives.h"
#include "core/job/Garage.h"
#include "core/proposals/BuildSheet.h"

namespace brusk::job {

/// One of the folder's, its sensors put right by what is known of them now.
[[nodiscard]] Result<std::shared_ptr<const recording::Recording>> loadRecording(const carfolder::CarFolder& folder,
                                                                                const carfolder::RecordingEntry& entry);

using DrivesPtr = std::shared_ptr<const evidence::Drives>;

/// What was driven on a round and may be learned from, with what was found wrong in it left out (LookForFaults). A
/// recording that can't be read is left out and said; so is one that was made on other bytes, with other parts than
/// those of the newest build sheet, or with another fuel than the newest drive that tells its own. A wideband's delay
/// that these drives do not tell is that of the car's earlier ones. None at all is an error that says why.
[[nodiscard]] Result<DrivesPtr> drivesOf(const Kit& kit, const carfolder::CarFolder& folder, int64_t round);
/// The same; none at all is no error.
[[nodiscard]] Result<DrivesPtr> drivesIfAny(const Kit& kit, const carfolder::CarFolder& folder, int64_t round);
/// The same of the round or of its nearest ancestor that was driven on.
struct DrivenLine {
    DrivesPtr drives;                  ///< empty where nobody drove yet
    std::optional<int64_t> round;      ///< on which they were driven
    std::vector<std::string> leftOut;  ///< recordings of these rounds that are not used, a sentence each
};
[[nodiscard]] Result<DrivenLine> drivesOfLine(const Kit& kit, const carfolder::CarFolder& folder, int64_t round);
/// What evidence needs to know of the bytes that were in the car.
evidence::Drives::Options evidenceOptions(const calibration::Calibration& inCar);

/// Whether what the mixture depends on is the same on two build sheets.
bool sameParts(const proposals::BuildSheet& a, const proposals::BuildSheet& b);

}  // namespace brusk::job
