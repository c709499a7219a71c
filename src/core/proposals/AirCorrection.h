// From measured air ratios to a corrected air model (VE map), cell by cell.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/evidence/CellFit.h"
#include "core/evidence/MapSamples.h"
#include "core/proposals/Proposal.h"

namespace brusk::proposals {

enum class Method { CellFit, NearestCell };

struct AirCorrectionOptions {
    Method method = Method::CellFit;
    double strength = 1.0;       ///< share of the computed change that is made
    double largestStep = 0.25;   ///< no cell moves by more than this share
    evidence::Enough enough;     ///< for a cell to count as seen
    double largestDoubt = 0.05;  ///< a cell less sure than this is not changed
};

/// Why a cell changes or stays.
enum class CellState {
    Untouched,
    Changed,   ///< enough is known of it
    Unsure,    ///< driven in, but not enough for that
    Extended,  ///< nobody was there: it follows its neighbours
    Clamped
};

/// Everything the correction knows of each cell (rows x columns of the map).
struct AirCorrection {
    std::string parameter;
    calibration::Table table;               ///< the map as it is
    std::vector<evidence::CellStat> cells;  ///< measured ratios, nearest cell
    evidence::CellFit fit;
    std::vector<double> change;  ///< share, as it will be stored
    std::vector<double> result;  ///< physical, as it will be stored
    std::vector<CellState> state;
    calibration::Edit edit;
    evidence::FuelError now;
    double expected = 0;          ///< root mean square error over the same cells, were the change made
    std::vector<float> errorNow;  ///< per sample, share; for the distribution
    std::vector<float> errorExpected;
    double largestStep = 0;
    size_t changed = 0;
    size_t sure = 0;      ///< cells of which enough is known
    size_t unsure = 0;    ///< of the changed
    size_t extended = 0;  ///< of the changed: without evidence of their own
    size_t clamped = 0;
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
