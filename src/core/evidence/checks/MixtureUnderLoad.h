// How far the mixture of pulls lies from what was asked.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/evidence/checks/Looks.h"

namespace brusk::evidence::checks {

/// Pulls of a warm engine whose mixture is off by more than a share, in one direction: above nil lean.
struct MixtureOff {
    std::vector<Stretch> where;
    std::vector<double> off_pct;
    size_t pulls = 0;
    /// In most of them, or very far in several.
    bool shows(double beyond_pct) const;
};
MixtureOff mixtureOff(const Looked& at, int direction, double beyond_pct);

}  // namespace brusk::evidence::checks
