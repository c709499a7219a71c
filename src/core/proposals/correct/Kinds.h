// The kinds of correction, a file each: plain arithmetic from top to bottom.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/proposals/Correction.h"

namespace brusk::proposals::correct {

[[nodiscard]] Result<Correction> adaptations(const CorrectionInput& in);
[[nodiscard]] Result<Correction> injector(const CorrectionInput& in);
[[nodiscard]] Result<Correction> meter(const CorrectionInput& in);
[[nodiscard]] Result<Correction> chargeTemperature(const CorrectionInput& in);
[[nodiscard]] Result<Correction> altitude(const CorrectionInput& in);
[[nodiscard]] Result<Correction> air(const CorrectionInput& in);
[[nodiscard]] Result<Correction> changeover(const CorrectionInput& in);
[[nodiscard]] Result<Correction> bankTrim(const CorrectionInput& in);
[[nodiscard]] Result<Correction> fullLoad(const CorrectionInput& in);

/// The size of a number around nil is known better than the number: that of a normal one, folded.
inline constexpr double kFolded = 0.6;

/// Strength, largest step and largest doubt as they were chosen.
Caution cautionOf(const CorrectionInput& in);
/// A correction of one table with its line, promise, reason and standing.
[[nodiscard]] Correction ofTable(const CorrectionInput& in, TableCorrection table, std::string formula);
/// Sets every number of a parameter; what it can't hold is held at its limit.
[[nodiscard]] Result<Change> setTable(const calibration::Calibration& calibration,
                                      const definition::Parameter& parameter, const std::vector<double>& values,
                                      calibration::Edit& edit, const std::string& title);

}  // namespace brusk::proposals::correct
