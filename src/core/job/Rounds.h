// Rounds as whole steps: a round's calibration, a new one from edits, and why it was made.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <map>

#include "core/carfolder/CarFolder.h"
#include "core/job/Garage.h"
#include "core/proposals/BaseCalibration.h"
#include "core/proposals/Correction.h"

namespace brusk::job {

/// The same of a round that may be looked at and not be kept, too.
[[nodiscard]] Result<calibration::Calibration> calibrationToShow(const Kit& kit, const carfolder::CarFolder& folder,
                                                                 int64_t round);
/// A round's image seen through the kit's definition; refused when they do not belong together.
[[nodiscard]] Result<calibration::Calibration> calibrationOf(const Kit& kit, const carfolder::CarFolder& folder,
                                                             int64_t round);

/// What one kind of correction promised of a round.
struct Promised {
    std::string kind;
    std::string figure;
    double now = 0, expected = 0, doubt = 0;          ///< in the figure's unit; the doubt is of what is expected
    std::vector<proposals::CellEstimate> cells = {};  ///< as they were when it was promised
};

/// What came of it, by the first drives on the round: in the same unit.
struct Came {
    double value = 0, doubt = 0;
    std::optional<proposals::Match> cells = {};  ///< against those that were promised
};

/// Why a round was made and what it promised: beside its note in the ledger, whoever made it.
struct RoundReason {
    std::string kind = "by-hand";            ///< or "base", a kind of correction, or "corrections" for several
    std::map<std::string, double> settings;  ///< by id
    std::map<std::string, double> now;       ///< FIGUREs as they were measured
    std::map<std::string, double> expected;  ///< and as they should be with it
    size_t cells = 0;                        ///< that change
    std::vector<Promised> promised = {};     ///< one a kind, in the order in which they were made
    std::string text = {};                   ///< the round's note
};
RoundReason reasonOf(const proposals::BasePlan& plan, const proposals::BuildSheet& sheet);
RoundReason reasonOf(const proposals::Corrections& corrections, const proposals::CorrectionChoices& choices);

/// A draft promises what is added to it besides; of a kind that it promised before the newer word counts.
[[nodiscard]] Done addReason(carfolder::CarFolder& folder, int64_t round, const RoundReason& more);

/// Applies edits to a round's calibration, mends the checksums and keeps the result as a new round with its reason.
[[nodiscard]] Result<carfolder::Round> makeRound(const Kit& kit, carfolder::CarFolder& folder, int64_t parent,
                                                 const std::vector<calibration::Edit>& edits, const std::string& title,
                                                 const RoundReason& reason);

}  // namespace brusk::job
