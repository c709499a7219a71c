// What can go wrong on the bench, switched on and off while the car runs.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <array>
#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "core/base/Result.h"

namespace brusk::benchcar {

enum class Sensor : uint8_t {
    Pressure,
    Airflow,
    Throttle,
    Pedal,
    Intake,
    Coolant,
    Narrowband,
    Narrowband2,
    Wideband,
    Knock,
    Wheel
};
inline constexpr size_t kSensorCount = 11;
std::string_view sensorName(Sensor sensor);

/// How a sensor fails. `amount` is seconds for Slow, volts (or the sensor's own unit) for Offset, a factor for Scaled.
struct SensorFault {
    enum class Kind : uint8_t { None, Dead, Stuck, Slow, Offset, Scaled } kind = Kind::None;
    double amount = 0;
};

struct Faults {
    std::array<SensorFault, kSensorCount> sensors{};
    bool banksCrossed = false;      ///< the narrowband sensors' plugs are swapped
    bool widebandLeak = false;      ///< outside air before the wideband, most felt at idle
    bool widebandLatePipe = false;  ///< the wideband sits in a pipe that opens at high speed
    bool lowBattery = false;        ///< weak battery, dead alternator
    bool weakPump = false;          ///< enough fuel at part load only
    double wastegateStuck = -1;     ///< open share it sticks at; negative: it moves
    // bus
    double busLost = 0, busLate = 0, busCorrupt = 0;  ///< share of frames
    int64_t powerCutFrame = -1;                       ///< power goes with so many more frames
    int64_t powerCutByte = -1;                        ///< power goes with so many more programmed bytes

    SensorFault& of(Sensor sensor) { return sensors[static_cast<size_t>(sensor)]; }
    bool any() const;
};

/// A fault as the command line writes it: "coolant:dead", "pressure:offset=0.2", "banks-crossed", "bus-lost=0.01",
/// "wastegate-stuck=0", "power-cut-frame=1200". BadInput names what was not understood.
[[nodiscard]] Done addFault(Faults& faults, std::string_view text);

/// The faults by the names addFault() knows, with a title for a list.
struct FaultChoice {
    std::string name;
    std::string title;
};
const std::vector<FaultChoice>& faultChoices();

}  // namespace brusk::benchcar
