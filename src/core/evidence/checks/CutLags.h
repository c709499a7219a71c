// How fast the wideband follows the begin and the end of fuel cuts.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/evidence/checks/Looks.h"

namespace brusk::evidence::checks {

/// Lags of all cuts that last, and where they were.
struct Lags {
    std::vector<double> begins, returns;
    std::vector<Stretch> where;
    double middle() const { return std::min(medianOf(later(begins)), medianOf(later(returns))); }
    /// Of many the last two thirds: a sensor may have aged on the way.
    static std::vector<double> later(const std::vector<double>& lags) {
        constexpr size_t kMany = 6;
        return lags.size() < kMany ? lags
                                   : std::vector<double>(lags.begin() + static_cast<long>(lags.size() / 3), lags.end());
    }
    /// From which lag on it is slow, and from which on something stores gas before it.
    static constexpr double kSlow_s = 0.22, kStores_s = 1.5;
    static constexpr size_t kFewest = 2;
    bool enough() const { return begins.size() >= kFewest; }
};
const Lags& lagsOf(const Looked& at);
/// What both checks say of them.
void reportLags(const Lags& lags, Finding finding, Found& out);

}  // namespace brusk::evidence::checks
