// Flashing a round: gates first, then only the sectors that differ, journalled and read back.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/carfolder/CarFolder.h"
#include "core/job/Garage.h"

namespace brusk::job {

/// A check that must pass before a flash.
struct Gate {
    std::string name;
    bool passed = false;
    std::string sentence;  ///< what was seen, and what to do when it blocks
};

struct FlashPlan {
    carfolder::Round round;
    std::shared_ptr<const image::Image> image;
    std::vector<link::Sector> sectors;  ///< to be written
    std::vector<Gate> gates;
    bool blocked() const;
    uint64_t bytes() const;
};

/// What would be written and whether it may be. `identity` is what the controller says now; null when nobody was asked.
[[nodiscard]] Result<FlashPlan> planFlash(const Kit& kit, const carfolder::CarFolder& folder, int64_t round,
                                          const link::Identity* identity);

/// Asks the controller again, checks all gates and flashes. The ledger learns each sector as it is verified.
[[nodiscard]] Result<link::FlashReport> flashRound(link::Uds& uds, const Kit& kit, carfolder::CarFolder& folder,
                                                   int64_t round, const link::OnProgress& onProgress);

/// A sentence on what is in the car, by what the ledger knows; `round` is the one it names, if any.
std::string whatIsInTheCar(const carfolder::CarContents& contents, const carfolder::Round* round);

}  // namespace brusk::job
