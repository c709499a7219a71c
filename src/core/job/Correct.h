// What a round's drives say of its fuel: warnings, cells nobody drove in, the figure in the ledger.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/evidence/Replay.h"
#include "core/job/LoadDrives.h"
#include "core/job/Rounds.h"

namespace brusk::job {

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

}  // namespace brusk::job
