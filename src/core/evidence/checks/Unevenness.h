// How unevenly the crank turns at idle, and what the loop adds: together they tell of one cylinder.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/evidence/checks/Looks.h"

namespace brusk::evidence::checks {

struct Unevenness {
    double rough_rpm = 0;   ///< amplitude of engine speed once a cycle, at idle
    double beside_rpm = 0;  ///< the same at orders beside it: what noise makes
    double lacks = 0;       ///< share of fuel that the loop adds, of the bank that lacks more
    double between = 0;     ///< of that bank over the other; nil with one bank
    std::vector<Stretch> where;
    static constexpr double kLacks = 0.025, kMisfires = 0.1, kRough_rpm = 1, kClear = 2.2;
    bool shows() const { return rough_rpm > kRough_rpm && rough_rpm > kClear * beside_rpm && lacks > kLacks; }
    std::string sentence() const;
};
const Unevenness& unevennessOf(const Looked& at);

}  // namespace brusk::evidence::checks
