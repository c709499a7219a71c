// Reading a car into its folder: the first read is the original, a later one is held against the ledger.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/carfolder/CarFolder.h"
#include "core/job/Garage.h"

namespace brusk::job {

struct ReadOutcome {
    carfolder::Round round;   ///< the round whose bytes are in the car
    bool isOriginal = false;  ///< this read was the first
    bool unknown = false;     ///< bytes that no round had: kept as a round of their own
    std::string sentence;
};

/// Reads all areas of the profile. `partial` keeps what arrived when the read fails; handing it in again goes on from
/// there.
[[nodiscard]] Result<ReadOutcome> readCar(link::Uds& uds, const Kit& kit, const link::Identity& identity,
                                          carfolder::CarFolder& folder, image::Image& partial,
                                          const link::OnProgress& onProgress);

}  // namespace brusk::job
