// From measured air ratios to a corrected air model (VE map), cell by cell.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/evidence/MapSamples.h"
#include "core/proposals/FromFactor.h"

namespace brusk::proposals {

enum class Method { CellFit, NearestCell };

struct AirCorrectionOptions : Caution {
    Method method = Method::CellFit;
};

/// Everything the correction knows of each cell (rows x columns of the map).
struct AirCorrection : ScaledTable {
    std::vector<evidence::CellStat> cells;  ///< measured ratios, nearest cell
    evidence::FuelError now;
    double expected = 0;          ///< root mean square error over the same cells, were the change made
    std::vector<float> errorNow;  ///< per sample, share; for the distribution
    std::vector<float> errorExpected;
};

/// Computes the correction of the map with the role "ve_map" from what its own model should have said. `calibration`
/// must be what was in the car when it was driven. The error names the channel that a drive lacks.
[[nodiscard]] Result<AirCorrection> correctAir(const calibration::Calibration& calibration,
                                               const evidence::Drives& drives, const AirCorrectionOptions& options);
/// The same from ratios that lie on the map's axes already.
[[nodiscard]] Result<AirCorrection> correctAir(const calibration::Calibration& calibration, calibration::Table table,
                                               const evidence::MapSamples& samples,
                                               const AirCorrectionOptions& options);

inline constexpr uint32_t kVisited = 20;  ///< samples for a cell to count in the fuel error

}  // namespace brusk::proposals
