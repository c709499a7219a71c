// Flashing a round: gates first, then the sectors of the chosen scope, journalled and read back.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/calibration/Compare.h"
#include "core/job/Gates.h"

namespace brusk::job {

struct FlashOptions {
    FlashScope scope = FlashScope::Changed;
    std::string typedSerial;    ///< overrides a mismatch of software or hardware; written into the ledger
    bool clearLearned = false;  ///< trouble codes and what was learned go once the round is in
};

struct FlashPlan {
    carfolder::Round round;
    /// With its checksums mended. Null for a round that came sealed: its bytes are opened for the flash alone.
    std::shared_ptr<const image::Image> image;
    std::string imageSha256;
    FlashScope scope = FlashScope::Changed;  ///< what was asked for; of a sealed round, what its seal asks for
    int mended = 0;
    std::vector<image::Sector> sectors;  ///< to be written
    std::vector<Gate> gates;
    /// The round in the car, else the one flashed last, else the parent; and what differs from it. Nothing for a round
    /// that came sealed, or when that one did.
    std::optional<carfolder::Round> comparedWith;
    std::vector<calibration::Difference> changes;
    bool blocked() const;
    uint64_t bytes() const;
    /// Names of the gates that were overridden; empty when none was.
    std::string overridden() const;
};

/// What would be written and whether it may be. `identity` is what the controller says now; null when nobody was asked.
[[nodiscard]] Result<FlashPlan> planFlash(const Kit& kit, carfolder::CarFolder& folder, int64_t round,
                                          const link::Identity* identity, const FlashOptions& options = {});

/// Asks the controller again, checks all gates and flashes. The ledger learns each step before it is taken, and each
/// sector's bytes when they were read back. After a flash that did not go smoothly the controller is asked what it
/// holds.
[[nodiscard]] Result<link::FlashReport> flashRound(link::Uds& uds, const Kit& kit, carfolder::CarFolder& folder,
                                                   int64_t round, const FlashOptions& options,
                                                   const link::OnProgress& onProgress);

/// A sentence on what is in the car, by what the ledger knows; `round` is the one it names, `unfinished` the one whose
/// flash did not come to its end, if any.
std::string whatIsInTheCar(const carfolder::CarContents& contents, const carfolder::Round* round,
                           const carfolder::Round* unfinished);

}  // namespace brusk::job
