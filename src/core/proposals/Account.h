// The account of promises: what each kind of correction promised of a figure, what came of it, and how far its next
// word is believed.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <span>
#include <string>
#include <vector>

namespace brusk::proposals {

/// What a cell was found to be off by: ln of what it should be multiplied by, with a standard deviation.
struct CellEstimate {
    size_t cell = 0;
    double off = 0, doubt = 0;
};

/// A cell that is known both times; ln. What all cells differ by alike is the drive's, and is taken out of z.
struct CellKept {
    double promised = 0, came = 0;  ///< what was to be left, and what was
    double z = 0;                   ///< (came - promised) / sqrt(doubt^2 + doubt^2)
};
/// `made` is ln of new over old, by cell.
std::vector<CellKept> heldAgainst(std::span<const CellEstimate> promised, std::span<const double> made,
                                  std::span<const CellEstimate> came);

/// Cells that were promised against those that came, as one.
struct Match {
    double q = 0;        ///< sum z^2 / (J - 1): one where their doubts are right
    size_t numbers = 0;  ///< J; nil: too few are known both times, and nothing is told
    double more = 0;     ///< RMS that came over RMS that was promised, over the same cells; per cent
};
Match matchOf(std::span<const CellKept> cells);

/// A promise of one round that was driven since. All in the figure's unit.
struct KeptPromise {
    int round = 0;  ///< its number
    std::string kind, figure;
    double now = 0;       ///< before
    double promised = 0;  ///< what was expected
    double doubt = 0;     ///< of that, a standard deviation
    std::optional<double> came = {};
    double cameDoubt = 0;
    std::optional<Match> cells = {};  ///< where cells were promised: told by these, not by the figure
};

/// What a kind's record makes of its next promise.
struct Trust {
    double widens = 1;    ///< factor on the doubt: never below one
    double optimism = 0;  ///< that much more is expected to be left; nil where that is within its own spread
    size_t kept = 0;      ///< promises it is told by
};

/// Q of its cells, else ((came - promised) / sqrt(doubt^2 + doubt of what came^2))^2; s^2 = (5 + sum 0.8^(K-k) J_k Q_k)
/// / (5 + sum 0.8^(K-k) J_k), J the numbers it is told by, at most 5, the newest weighing most; the doubt grows by
/// max(1, s), which comes down again as the kind keeps its word. Optimism b = sum(came - promised) / (K + 2), taken
/// where |b| exceeds its own spread. `account` is in the order of the rounds; what did not come yet counts for nothing.
Trust trustOf(std::span<const KeptPromise> account, std::string_view kind);

}  // namespace brusk::proposals
