// The curve of gear ratios, without its placeholders.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/Gears.h"

namespace brusk::evidence::checks {

std::vector<double> gearRatios(const Looked& at) {
    constexpr double kLeast = 3, kMost = 400;
    std::vector<double> out;
    const auto* parameter = at.inCar ? at.inCar->definition().parameterWithRole("gear_ratio") : nullptr;
    if (!parameter) return out;
    const auto table = at.inCar->read(*parameter);
    if (!table) return out;
    for (const double ratio : table->values)
        if (ratio > kLeast && ratio < kMost && (out.empty() || ratio < out.back())) out.push_back(ratio);
    return out;
}

}  // namespace brusk::evidence::checks
