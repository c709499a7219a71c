// Sensors that are not the controller's own, as they are kept with a car: what they send on the bus, or a voltage on an
// input the controller has no use for.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <limits>
#include <string>
#include <vector>

#include "core/base/Result.h"

namespace brusk::drive {

/// How the number that arrives becomes the one that is meant: slope * raw + offset.
struct Scaling {
    double slope = 1, offset = 0;

    double at(double raw) const { return slope * raw + offset; }
    double rawOf(double value) const { return (value - offset) / slope; }
    bool isIdentity() const { return slope == 1 && offset == 0; }
    bool operator==(const Scaling&) const = default;

    struct Point {
        double raw = 0, value = 0;
    };
    /// The line through two points. BadInput where they tell no slope, or none at all.
    [[nodiscard]] static Result<Scaling> through(const Point& a, const Point& b);
    /// The same slope, moved so that `raw` means `value`: what another gauge shows at this moment.
    Scaling shownAs(double raw, double value) const { return {slope, value - slope * raw}; }
};

/// One number of a sensor, and what it means to this car.
struct Sensor {
    std::string title;    ///< "Tarn L3, AFR"
    std::string message;  ///< of the bus: its name; empty for a voltage
    std::string name;     ///< of the signal; of the channel that a voltage gives
    std::string channel;  ///< of a voltage: the controller's measurement that has it
    std::string role;     ///< that it plays in this car, by id; empty: none
    std::string unit;     ///< of the scaled number
    Scaling scaling;
    /// Of what arrives; beyond it the wire is broken, and nothing is believed.
    double least = -std::numeric_limits<double>::infinity(), most = std::numeric_limits<double>::infinity();

    bool analogue() const { return message.empty(); }
    /// The group of a recording that it is in.
    std::string group() const { return analogue() ? "analogue " + name : message; }
    bool believes(double raw) const { return raw >= least && raw <= most; }
    bool sameAs(const Sensor& other) const { return message == other.message && name == other.name; }
    bool operator==(const Sensor&) const = default;
};

/// The one of a list that is this signal; null for none.
const Sensor* sensorOf(const std::vector<Sensor>& sensors, const std::string& message, const std::string& name);

}  // namespace brusk::drive
