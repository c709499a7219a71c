// From what each cell of a table should be multiplied by to an edit: as much as was asked for, no further than is
// allowed, in whole counts. Serves every correction that scales a table.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>

#include "core/evidence/CellFit.h"
#include "core/evidence/MapSamples.h"
#include "core/proposals/Proposal.h"

namespace brusk::proposals {

enum class Method { CellFit, NearestCell };

/// How far a correction dares to go.
struct Caution {
    double strength = 1.0;       ///< share of the computed change that is made
    double largestStep = 0.25;   ///< no cell moves by more than this share
    evidence::Enough enough;     ///< for a cell to count as seen
    double largestDoubt = 0.05;  ///< a cell less sure than this is not changed
    Method method = Method::CellFit;
    /// Under load less fuel is given only up to so much above what the cells say, beside their own doubt: what the
    /// wideband itself may be off by.
    double wideband = 0.01;
    /// How far one drive may be off from another everywhere, by its fuel, weather or height: what all cells say alike
    /// and is no more than that, over the root of the drives, is left.
    double alike = 0.01;
};

/// Why a cell changes or stays.
enum class CellState {
    Untouched,
    Changed,   ///< enough is known of it
    Unsure,    ///< driven in, but not enough for that
    Extended,  ///< nobody was there: it follows its neighbours
    Clamped
};

/// A table as it is and as it will be, with what is known of each cell (rows x columns).
struct ScaledTable {
    std::string parameter;
    calibration::Table table;  ///< as it is
    evidence::CellFit fit;
    std::vector<double> change;  ///< share, as it will be stored
    std::vector<double> result;  ///< physical, as it will be stored
    std::vector<CellState> state;
    calibration::Edit edit;
    double largestStep = 0;
    size_t changed = 0;
    size_t sure = 0;      ///< cells of which enough is known
    size_t unsure = 0;    ///< of the changed
    size_t extended = 0;  ///< of the changed: without evidence of their own
    size_t clamped = 0;
};

/// A table corrected by ratios that lie on its own axes.
struct TableCorrection : ScaledTable {
    std::vector<evidence::CellStat> cells;  ///< the ratios, nearest cell
    std::vector<bool> loaded;               ///< which cells are under load; empty: not asked
    evidence::FuelError now;                ///< by the cells that were visited
    double leftAlike = 0;                   ///< share that all cells are off by alike and that is left; nil: none
    double expected = 0;                    ///< root mean square error over the same cells, were the change made
    std::vector<float> errorNow;            ///< per sample, share; for the distribution
    std::vector<float> errorExpected;
};

/// Nothing of it is changed; what is known of its cells stays.
void leaveAsItIs(TableCorrection& correction);

/// Cells under load, above this pressure in the manifold, are the ones in which lean and early hurt.
inline constexpr double kLoaded_kPa = 100;
inline constexpr uint32_t kVisited = 20;  ///< samples for a cell to count in the fuel error

/// Which cells are under load: by an axis of pressure, else by the pressure at the samples in them.
std::vector<bool> loadedCells(const evidence::MapSamples& samples, const evidence::Drives& drives);

/// What the driven cells say alike, their median of ln, where that is no more than the drives may be off from others;
/// less of it where cells differ by more than that; else nil.
double leftAlike(const evidence::CellFit& fit, const Caution& caution);

/// What the fit asks each cell to be multiplied by, beside what is left of it as alike; 1 where it is less sure than
/// `largestDoubt`, or where neither the cell nor one beside it was driven in. Where `loaded`, less fuel is given only
/// up to one standard deviation of the whole doubt, the wideband's included, and not at all to a cell without evidence
/// of its own; `loaded` may be empty.
std::vector<double> knownFactors(const evidence::CellFit& fit, const Caution& caution, const std::vector<bool>& loaded);

/// `out` holds table and fit, one factor a cell; all else is filled in. `title` is that of the edit.
[[nodiscard]] Done scale(ScaledTable& out, const calibration::Calibration& calibration,
                         const std::vector<double>& factor, const Caution& caution, const std::string& title);

/// Fit, caution, limits, and what is expected to be left. `calibration` has the table as it is; `shape`, where there is
/// one, has the last word on the factors.
using Shaping = std::function<void(const evidence::CellFit& fit, std::vector<double>& factor)>;
[[nodiscard]] Result<TableCorrection> correctTable(const calibration::Calibration& calibration,
                                                   calibration::Table table, const evidence::MapSamples& samples,
                                                   const std::vector<bool>& loaded, const Caution& caution,
                                                   const std::string& title, const Shaping& shape = {});

}  // namespace brusk::proposals
