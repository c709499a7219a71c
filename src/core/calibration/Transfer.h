// Numbers taken over from another calibration, of the same definition or another: resampled where breakpoints differ,
// converted where units do, and said where neither helps.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>
#include <vector>

#include "core/calibration/Respace.h"

namespace brusk::calibration {

struct TransferOptions {
    bool axes = false;  ///< the donor's breakpoints come along; parameters that share an axis follow with their surface
    double strength = 1;  ///< 0 to 1: the share of the way from our number to the donor's
    Outside outside = Outside::Clamp;
};

struct TransferLine {
    enum class Outcome { Same, Copied, Resampled, NotPossible };
    std::string name;
    Outcome outcome = Outcome::Same;
    size_t cells = 0;    ///< that changed
    int clamped = 0;     ///< held at a limit
    SurfaceError error;  ///< of what is stored here against the donor's surface, in our unit
    std::string remark;  ///< a sentence: what was converted, whose axis moved, or why it is not possible
};

struct Transfer {
    Edit edit;
    std::vector<TransferLine> lines;  ///< one for each name asked for
};

/// Takes a table over into one parameter of `work` at once; where that is not possible nothing changes and the line
/// says why.
[[nodiscard]] TransferLine takeOver(Calibration& work, const definition::Parameter& parameter, const Table& theirs);

/// Prepares taking over parameters by name. What can't be taken is said in its line and stops nothing.
[[nodiscard]] Transfer transfer(const Calibration& to, const Calibration& donor, const std::vector<std::string>& names,
                                const TransferOptions& options, const std::string& editName);

/// The same from tables that came from elsewhere; each is taken for the parameter of its name.
[[nodiscard]] Transfer transferTables(const Calibration& to, const std::vector<Table>& donor,
                                      const TransferOptions& options, const std::string& editName);

/// Fills a family of parameters like one of them: its surface on each one's own breakpoints and in its own unit.
[[nodiscard]] Transfer fillAlike(const Calibration& calibration, const Table& like,
                                 const std::vector<std::string>& names, const TransferOptions& options,
                                 const std::string& editName);

/// One operation on every cell of several parameters, each held at its limits.
[[nodiscard]] Transfer operateOnAll(const Calibration& calibration, const CellOperation& operation,
                                    const std::vector<std::string>& names, const std::string& editName);

}  // namespace brusk::calibration
