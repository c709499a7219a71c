// From what each cell of a table should be multiplied by to an edit: as much as was asked for, no further than is
// allowed, in whole counts. Serves every correction that scales a table.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/evidence/CellFit.h"
#include "core/proposals/Proposal.h"

namespace brusk::proposals {

/// How far a correction dares to go.
struct Caution {
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

/// What the fit asks each cell to be multiplied by; 1 where it is less sure than `largestDoubt`, or where neither the
/// cell nor one beside it was driven in.
std::vector<double> knownFactors(const evidence::CellFit& fit, double largestDoubt);

/// `out` holds table and fit, one factor a cell; all else is filled in. `title` is that of the edit.
[[nodiscard]] Done scale(ScaledTable& out, const calibration::Calibration& calibration,
                         const std::vector<double>& factor, const Caution& caution, const std::string& title);

}  // namespace brusk::proposals
