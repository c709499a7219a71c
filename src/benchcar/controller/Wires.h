// The controller's plug: what comes in from the sensors and goes out to the actuators.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <array>

namespace brusk::benchcar {

struct SensorReadings {
    int speed_qrpm = 0;  ///< crank sensor, 0.25 rpm
    int map_mV = 0;
    int maf_Hz = 0;
    int throttle_mV = 0;
    int pedal_mV = 0;
    int intake_mV = 0;  ///< thermistor against a pull-up: high when cold
    int coolant_mV = 0;
    int battery_mV = 0;  ///< behind the divider, a quarter of the battery's
    std::array<int, 2> narrowband_mV{};
    int knock_mV = 0;
    int wheel_dHz = 0;  ///< 0.1 pulses a second
    int spare_mV = 0;   ///< an input that the car itself has no use for
    bool starter = false;
    bool neutral = true;
    bool clutch = false;
    bool brake = false;
    bool airConditioning = false;  ///< the driver's switch
};

struct ActuatorCommands {
    std::array<int, 2> pulse_us{};  ///< each bank; 0: no fuel
    int spark_d = 0;                ///< 0.1 deg before top dead centre
    int dwell_us = 0;
    int throttle_c = 0;   ///< 0.01 %
    int wastegate_h = 0;  ///< 0.5 %
    int purge_h = 0;      ///< purge valve, 0.5 %
    int fans = 0;
    bool compressor = false;
};

}  // namespace brusk::benchcar
