// A running scale with a prior of five promises kept, and a mean with a prior of two without error.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/proposals/Account.h"

#include <algorithm>
#include <cmath>

namespace brusk::proposals {

Trust trustOf(std::span<const KeptPromise> account, std::string_view kind) {
    constexpr double kPrior = 5, kFades = 0.8, kPriorMean = 2;
    Trust out;
    double weighed = 0, weights = 0, sum = 0, squares = 0, k = 0;
    for (const KeptPromise& one : account) {
        if (one.kind != kind || !one.came) continue;
        const double off = *one.came - one.promised;
        const double variance = one.doubt * one.doubt + one.cameDoubt * one.cameDoubt;
        // Every one that follows makes those before it count less.
        weighed = weighed * kFades + (variance > 0 ? off * off / variance : 0), weights = weights * kFades + 1;
        sum += off, squares += off * off, ++k;
    }
    if (k == 0) return out;
    out.kept = static_cast<size_t>(k);
    out.widens = std::max(1.0, std::sqrt((kPrior + weighed) / (kPrior + weights)));
    const double optimism = sum / (k + kPriorMean);
    const double spread = std::sqrt(std::max(0.0, squares / k - sum * sum / k / k) / k);
    if (k > 1 && std::abs(optimism) > spread) out.optimism = optimism;
    return out;
}

}  // namespace brusk::proposals
