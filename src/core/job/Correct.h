// From a round's recordings to the next round.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/carfolder/CarFolder.h"
#include "core/evidence/DriveFigures.h"
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

/// The recordings of a round that can be read; one that can't be is left out, with a sentence why.
struct RoundRecordings {
    std::vector<std::shared_ptr<const recording::Recording>> recordings;
    std::vector<std::string> leftOut;
    std::vector<const recording::Recording*> pointers() const;
};
[[nodiscard]] Result<RoundRecordings> recordingsOf(const carfolder::CarFolder& folder, int64_t round);

/// The air samples of all recordings driven on a round; what could not be read is told in `leftOut`.
[[nodiscard]] Result<evidence::AirSamples> roundSamples(const carfolder::CarFolder& folder, int64_t round,
                                                        std::vector<std::string>* leftOut = nullptr);

/// Knock, boost and idle of all recordings driven on a round.
[[nodiscard]] Result<evidence::DriveFigures> roundFigures(const carfolder::CarFolder& folder, int64_t round);

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
