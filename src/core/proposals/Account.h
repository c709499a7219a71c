// The account of promises: what each kind of correction promised of a figure, what came of it, and how far its next
// word is believed.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <span>
#include <string>
#include <vector>

namespace brusk::proposals {

/// A promise of one round that was driven since. All in the figure's unit.
struct KeptPromise {
    int round = 0;  ///< its number
    std::string kind, figure;
    double now = 0;       ///< before
    double promised = 0;  ///< what was expected
    double doubt = 0;     ///< of that, a standard deviation
    std::optional<double> came = {};
    double cameDoubt = 0;
};

/// What a kind's record makes of its next promise.
struct Trust {
    double widens = 1;    ///< factor on the doubt: never below one
    double optimism = 0;  ///< that much more is expected to be left; nil where that is within its own spread
    size_t kept = 0;      ///< promises it is told by
};

/// Q = ((came - promised) / sqrt(doubt^2 + doubt of what came^2))^2; s^2 = (5 + sum 0.8^(K-k) Q_k) /
/// (5 + sum 0.8^(K-k)), the newest weighing most, and the doubt grows by max(1, s), which comes down again as the kind
/// keeps its word. Optimism b = sum(came - promised) / (K + 2), taken where |b| exceeds its own spread. `account` is in
/// the order of the rounds; what did not come yet counts for nothing.
Trust trustOf(std::span<const KeptPromise> account, std::string_view kind);

}  // namespace brusk::proposals
