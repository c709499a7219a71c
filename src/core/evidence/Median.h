// The middle one of some numbers.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <algorithm>
#include <cmath>
#include <vector>

namespace brusk::evidence {

/// NaNs are passed over; NaN of none.
inline double medianOf(std::vector<double> numbers) {
    std::erase_if(numbers, [](double v) { return std::isnan(v); });
    if (numbers.empty()) return std::nan("");
    const auto middle = numbers.begin() + static_cast<long>(numbers.size() / 2);
    std::nth_element(numbers.begin(), middle, numbers.end());
    return *middle;
}

}  // namespace brusk::evidence
