// Breakpoints in the wanted unit, with as many decimals as tell them apart.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/widgets/ShownAxis.h"

#include <algorithm>
#include <cmath>

namespace brusk::app {

int axisDecimals(const calibration::AxisValues& axis, const units::Shown& shown) {
    if (axis.values.empty()) return 0;
    const double largest = std::max(std::abs(shown(axis.values.front())), std::abs(shown(axis.values.back())));
    const int most = largest >= 200 ? 0 : std::min(shown.decimals(axis.decimals), largest >= 10 ? 1 : 3);
    // No more than tell the breakpoints as they are.
    for (int decimals = 0; decimals < most; ++decimals) {
        const double scale = std::pow(10, decimals);
        if (std::all_of(axis.values.begin(), axis.values.end(),
                        [&](double v) { return std::abs(shown(v) * scale - std::round(shown(v) * scale)) < 1e-4; }))
            return decimals;
    }
    return most;
}

ShownAxis::ShownAxis(const calibration::AxisValues& axis, const units::Preferences& preferences)
    : shown(preferences.shown(axis.unit)), decimals(axisDecimals(axis, shown)) {
    for (const double v : axis.values)
        values.push_back(shown(v));
}

QString ShownAxis::text(size_t breakpoint) const {
    if (breakpoint >= values.size()) return {};
    const QString number = QString::number(values[breakpoint], 'f', decimals);
    return shown.unit.empty() ? number : number + " " + unit();
}

}  // namespace brusk::app
