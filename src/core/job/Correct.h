// From a round's recordings to the next round.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/carfolder/CarFolder.h"
#include "core/evidence/Drives.h"
#include "core/evidence/Replay.h"
#include "core/job/Garage.h"
#include "core/proposals/AirCorrection.h"
#include "core/proposals/BaseCalibration.h"
#include "core/proposals/Consistency.h"
#include "core/proposals/Stages.h"

namespace brusk::job {

/// A round's image seen through the kit's definition; refused when they do not belong together.
[[nodiscard]] Result<calibration::Calibration> calibrationOf(const Kit& kit, const carfolder::CarFolder& folder,
                                                             int64_t round);

[[nodiscard]] Result<std::shared_ptr<const recording::Recording>> loadRecording(const carfolder::CarFolder& folder,
                                                                                const carfolder::RecordingEntry& entry);

using DrivesPtr = std::shared_ptr<const evidence::Drives>;

/// What was driven on a round and may be learned from. A recording that can't be read is left out and said; so is one
/// that was made on other bytes, with other parts than those of the newest build sheet, or with another fuel than the
/// newest drive that tells its own. A wideband's delay that these drives do not tell is that of the car's earlier ones.
/// None at all is an error that says why.
[[nodiscard]] Result<DrivesPtr> drivesOf(const Kit& kit, const carfolder::CarFolder& folder, int64_t round);
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

/// What whoever corrects the air should know, a sentence each: axes that do not agree with what was recorded, learned
/// values that outlive the map, pulses that tell another mixture than the trims, a drive that differs from the others.
std::vector<std::string> airWarnings(const calibration::Calibration& inCar, const evidence::Drives& drives,
                                     const evidence::CellFit& fit, const evidence::AxisCheck& axes);

/// A node of the VE map.
struct MapNode {
    double speed_rpm = 0;
    double pressure_kPa = 0;
};
/// The nodes of the VE map that no drive on this round has visited, as far as a road sees them: between 1000 and
/// 5200 rpm, 25 and 160 kPa.
[[nodiscard]] Result<std::vector<MapNode>> unseenNodes(const Kit& kit, carfolder::CarFolder& folder, int64_t round);

/// Measures a round's fuel error from its recordings and keeps it in the ledger.
[[nodiscard]] Result<evidence::FuelError> measureFuelError(const Kit& kit, carfolder::CarFolder& folder, int64_t round);
[[nodiscard]] Result<evidence::FuelError> measureFuelError(const Kit& kit, carfolder::CarFolder& folder, int64_t round,
                                                           const evidence::Drives& drives);

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

/// Applies edits to a round's calibration, mends the checksums and keeps the result as a new round.
[[nodiscard]] Result<carfolder::Round> makeRound(const Kit& kit, carfolder::CarFolder& folder, int64_t parent,
                                                 const std::vector<calibration::Edit>& edits, const std::string& title,
                                                 const std::string& note);

}  // namespace brusk::job
