// A running scale with a prior of five promises kept, and a mean with a prior of two without error.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/proposals/Account.h"

#include <algorithm>
#include <cmath>

namespace brusk::proposals {

std::vector<CellKept> heldAgainst(std::span<const CellEstimate> promised, std::span<const double> made,
                                  std::span<const CellEstimate> came) {
    std::vector<CellKept> out;
    std::vector<double> variances;
    double sum = 0, weights = 0;
    for (const CellEstimate& one : promised)
        for (const CellEstimate& other : came) {
            if (one.cell != other.cell || one.cell >= made.size()) continue;
            const double left = one.off - made[one.cell], variance = one.doubt * one.doubt + other.doubt * other.doubt;
            if (!(variance > 0) || !std::isfinite(other.off - left)) continue;
            out.push_back({left, other.off, 0}), variances.push_back(variance);
            sum += (other.off - left) / variance, weights += 1 / variance;
        }
    for (size_t i = 0; i < out.size(); ++i)
        out[i].z = (out[i].came - out[i].promised - sum / weights) / std::sqrt(variances[i]);
    return out;
}

Match matchOf(std::span<const CellKept> cells) {
    constexpr size_t kFewest = 3;
    if (cells.size() < kFewest) return {};
    double squares = 0, promised = 0, came = 0;
    const auto n = static_cast<double>(cells.size());
    for (const CellKept& one : cells)
        squares += one.z * one.z, promised += one.promised * one.promised / n, came += one.came * one.came / n;
    return {squares / (n - 1), cells.size(), 100 * (std::sqrt(came) - std::sqrt(promised))};
}

Trust trustOf(std::span<const KeptPromise> account, std::string_view kind) {
    constexpr double kPrior = 5, kFades = 0.8, kPriorMean = 2, kMost = 5;
    Trust out;
    double weighed = 0, weights = 0, sum = 0, squares = 0, k = 0;
    for (const KeptPromise& one : account) {
        if (one.kind != kind || !one.came || (one.cells && one.cells->numbers == 0)) continue;
        const double off = one.cells ? one.cells->more : *one.came - one.promised;
        const double variance = one.doubt * one.doubt + one.cameDoubt * one.cameDoubt;
        const double numbers = one.cells ? std::min(static_cast<double>(one.cells->numbers), kMost) : 1;
        const double q = one.cells ? one.cells->q : variance > 0 ? off * off / variance : 0;
        // Every one that follows makes those before it count less.
        weighed = weighed * kFades + numbers * q, weights = weights * kFades + numbers;
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
