// Speed-density's map: r of what it said itself, laid on its own axes.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/proposals/correct/Air.h"

#include "core/proposals/correct/Kinds.h"

namespace brusk::proposals {

Result<TableCorrection> correctAir(const calibration::Calibration& calibration, const evidence::Drives& drives,
                                   const Caution& caution) {
    const auto* parameter = calibration.definition().parameterWithRole("ve_map");
    if (!parameter) return fail(ErrorCode::NotFound, "The definition has no map with the role \"ve_map\".");
    auto table = calibration.read(*parameter);
    if (!table) return tl::unexpected(table.error());
    if (const auto& mixture = drives.mixture(); !mixture) return tl::unexpected(mixture.error());
    const evidence::MapSamples samples(calibration.definition(), *table, drives, evidence::Measure::density());
    return correctTable(calibration, std::move(*table), samples, loadedCells(samples, drives), caution,
                        "Air model from evidence");
}

namespace correct {

Result<Correction> air(const CorrectionInput& in) {
    auto table = correctAir(in.calibration, in.drives, cautionOf(in));
    if (!table) return tl::unexpected(table.error());
    return ofTable(in, std::move(*table),
                   "VE new = VE old \u00d7 m; ln m per cell from ln r = ln[(lambda measured / lambda asked) "
                   "(1 + short)(1 + long) (air used / air by speed-density)]");
}

}  // namespace correct
}  // namespace brusk::proposals
