// Reading a car into its folder: the first read is the original, a later one is held against the ledger.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/carfolder/CarFolder.h"
#include "core/job/Garage.h"

namespace brusk::job {

enum class ReadScope {
    Everything,
    Calibration  ///< of a car whose original is kept already
};

struct ReadOutcome {
    carfolder::Round round;   ///< the round whose bytes are in the car
    bool isOriginal = false;  ///< this read was the first
    bool unknown = false;     ///< bytes that no round had: kept as a round of their own
    bool sealed = false;      ///< bytes of a sealed round: compared, nothing of them was kept
    std::string sentence;
    link::ReadReport report;
};

/// Reads the areas of the profile. The folder keeps what arrived when the read fails or the program is killed; reading
/// again goes on from there. Where a sealed round may be in the car, nothing is kept before it was compared, and
/// nothing at all of what only a sealed round holds. Mismatch when the folder belongs to another controller, or the
/// software is not the definition's.
[[nodiscard]] Result<ReadOutcome> readCar(link::Uds& uds, const Kit& kit, const link::Identity& identity,
                                          carfolder::CarFolder& folder, ReadScope scope,
                                          const link::OnProgress& onProgress);

}  // namespace brusk::job
