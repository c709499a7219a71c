// The parts fitted to this car, as far as the base calibration needs them.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <vector>

namespace brusk::proposals {

/// A pressure sensor by two points of its data sheet.
struct SensorPoints {
    double lowVolts = 0.4;
    double lowPressure_kPa = 20;
    double highVolts = 4.65;
    double highPressure_kPa = 0;
};

/// Dead time of an injector at a battery voltage, from its maker's table.
struct DeadTimePoint {
    double volts = 14;
    double time_us = 0;
};

/// What is filled in; empty members propose nothing.
struct BuildSheet {
    std::optional<double> injectorFlow_cm3min;  ///< rated
    double injectorRatedPressure_kPa = 300;     ///< the rating's pressure difference
    double fuelPressure_kPa = 300;              ///< the car's pressure difference
    std::vector<DeadTimePoint> deadTimes;       ///< rising voltage
    std::optional<SensorPoints> pressureSensor;
    std::optional<double> ethanol_pct;  ///< volume share of ethanol in the fuel
};

}  // namespace brusk::proposals
