// Whose bytes a command speaks of, and what was driven on them: a car folder's round, or a definition with an image.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cmath>

#include "core/evidence/Suspects.h"
#include "core/job/LoadDrives.h"
#include "ctl/Links.h"

namespace brusk::ctl {

/// BYTES on the command line.
struct BytesChoice {
    std::string car, definition, image, base;
    int round = -1;
    /// The option --car, for others that need it.
    Argument addTo(Command sub);
    bool given() const { return !car.empty() || !definition.empty(); }
};

/// What is known of the car besides the drives, on the command line.
struct FactsChoice {
    double poured = std::nan(""), deadTime_ms = std::nan("");
    std::string rail;
    bool fuelTold = false, widebandCalibrated = false;
    void addTo(Command sub);
    evidence::MixtureFacts facts() const;
};

/// The bytes that are corrected, and where they came from.
struct Subject {
    std::unique_ptr<carfolder::CarFolder> folder;  ///< with --car
    std::optional<carfolder::Round> round;
    std::shared_ptr<const job::Kit> kit;  ///< null where no profile is known for the definition
    std::optional<calibration::Calibration> calibration;
};

[[nodiscard]] Result<Subject> subjectOf(Context& c, const BytesChoice& o);
/// The named recordings, or all of the round, without what is sick in them but for the checks that are put back: those
/// that were made on other bytes are left out and said.
[[nodiscard]] Result<job::DrivesPtr> evidenceFor(Context& c, const Subject& subject,
                                                 const std::vector<std::string>& files,
                                                 const std::vector<std::string>& putBack = {});

}  // namespace brusk::ctl
