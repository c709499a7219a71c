// Lines through points, and looking sensors up.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/drive/Sensor.h"

#include <algorithm>
#include <cmath>

namespace brusk::drive {

Result<Scaling> Scaling::through(const Point& a, const Point& b) {
    for (const double number : {a.raw, a.value, b.raw, b.value})
        if (!std::isfinite(number)) return fail(ErrorCode::BadInput, "Two points are four numbers.");
    if (std::abs(a.raw - b.raw) < 1e-3)
        return fail(ErrorCode::BadInput, "The two points lie at the same voltage; they tell no slope.");
    if (a.value == b.value)
        return fail(ErrorCode::BadInput,
                    "The two points have the same value; such a sensor would always say the same.");
    const double slope = (b.value - a.value) / (b.raw - a.raw);
    return Scaling{slope, a.value - slope * a.raw};
}

const Sensor* sensorOf(const std::vector<Sensor>& sensors, const std::string& message, const std::string& name) {
    const auto found = std::find_if(sensors.begin(), sensors.end(), [&](const Sensor& sensor) {
        return sensor.message == message && sensor.name == name;
    });
    return found == sensors.end() ? nullptr : &*found;
}

}  // namespace brusk::drive
