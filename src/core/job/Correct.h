// What a round's drives say of its fuel: warnings, cells nobody drove in, the figure in the ledger.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/evidence/FirstPull.h"
#include "core/evidence/Replay.h"
#include "core/job/LoadDrives.h"
#include "core/job/Rounds.h"

namespace brusk::job {

/// All that drives say should be put right, and what whoever does it should know.
struct RoundCorrections {
    proposals::Corrections corrections;
    evidence::AxisCheck axes;
    std::optional<evidence::FirstPull> firstPull;
    /// A sentence each: axes that do not agree with what was recorded, learned values that outlive the bytes, pulses
    /// that tell another mixture than the trims, a drive that differs from the others, what is out of sight.
    std::vector<std::string> warnings;
};
[[nodiscard]] Result<RoundCorrections> correctRound(const calibration::Calibration& inCar,
                                                    const evidence::Drives& drives,
                                                    const proposals::CorrectionChoices& choices,
                                                    const std::function<bool()>& stop = {});

/// A node of the VE map.
struct MapNode {
    double speed_rpm = 0;
    double pressure_kPa = 0;
};
/// What the rounds from the original to this one promised, and what came of it, in their order.
[[nodiscard]] Result<std::vector<proposals::KeptPromise>> accountOf(const carfolder::CarFolder& folder, int64_t round);
/// Holds what was driven on a round against what it promised, and keeps that in the ledger.
[[nodiscard]] Done keepAccount(const Kit& kit, carfolder::CarFolder& folder, int64_t round,
                               const evidence::Drives& drives);

/// The nodes of the VE map that no drive on this round has visited, as far as a road sees them: between 1000 and
/// 5200 rpm, 25 and 160 kPa.
[[nodiscard]] Result<std::vector<MapNode>> unseenNodes(const Kit& kit, carfolder::CarFolder& folder, int64_t round);

/// Measures a round's fuel error from its recordings and keeps it in the ledger, with what came of its promises.
[[nodiscard]] Result<evidence::FuelError> measureFuelError(const Kit& kit, carfolder::CarFolder& folder, int64_t round);
[[nodiscard]] Result<evidence::FuelError> measureFuelError(const Kit& kit, carfolder::CarFolder& folder, int64_t round,
                                                           const evidence::Drives& drives);

}  // namespace brusk::job
