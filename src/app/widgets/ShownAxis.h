// The breakpoints of an axis as a user wants to see them.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QString>
#include <vector>

#include "core/calibration/Calibration.h"

namespace brusk::app {

/// As few decimals as tell the breakpoints apart as they are.
int axisDecimals(const calibration::AxisValues& axis, const units::Shown& shown);

struct ShownAxis {
    ShownAxis() = default;
    ShownAxis(const calibration::AxisValues& axis, const units::Preferences& preferences);
    units::Shown shown;
    int decimals = 0;
    std::vector<double> values;
    QString unit() const { return QString::fromStdString(shown.unit); }
    /// "2400 rpm"
    QString text(size_t breakpoint) const;
};

}  // namespace brusk::app
