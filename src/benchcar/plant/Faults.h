// What can go wrong on the bench: each fault with an amount, switched on and off while the car runs.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <array>
#include <cstdint>
#include <limits>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "core/base/Result.h"

namespace brusk::benchcar {

enum class Sensor : uint8_t {
    Pressure,
    Meter,
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
    bool operator==(const SensorFault&) const = default;
};

/// Amounts in the units of faultKinds(); as they stand here, all is well.
struct Faults {
    std::array<SensorFault, kSensorCount> sensors{};
    // the exhaust and what sits in it
    double banksCrossed = 0;  ///< the narrowband sensors' plugs are swapped
    double widebandCold_s = 0, widebandAged_s = 0, widebandLeak_gs = 0, widebandLatePipe_rpm = 0;
    double widebandBeforeTurbine_perkPa = 0, widebandBehindCatalyst_s = 0, exhaustLeak_gs = 0;
    // air and fuel
    double intakeLeak_gs = 0, boostLeak_gs = 0;
    double ductLeak = 0;  ///< share of the air that gets in between meter and throttle
    double weakPump = 1;  ///< share of the pump's flow that is left
    double regulatorUnreferenced = 0, injectorDead = 0, injectorLean = 0;
    double purgeValve = 0, canisterFull_gs = 0;
    double otherFuel = -1;    ///< share of ethanol in what the tank gives; negative: what it always gave
    double poorFuel_RON = 0;  ///< nil: what it always gave
    // noise that is no knock
    double falseKnock_V = 0, tipInNoise_V = 0;
    // moving parts
    double clutchSlip_Nm = 0;    ///< what a worn clutch still holds; nil: all
    double throttleCeiling = 1;  ///< share the plate opens at most
    double wastegateStuck = -1;  ///< open share it sticks at; negative: it moves
    // current and heat
    double lowBattery_V = 0, alternatorDead_Vmin = 0, heatSoak_K = 0;
    // bus
    double busLost = 0, busLate = 0, busCorrupt = 0;  ///< share of frames
    int64_t powerCutFrame = -1;                       ///< power goes with so many more frames
    int64_t powerCutByte = -1;                        ///< power goes with so many more programmed bytes

    SensorFault& of(Sensor sensor) { return sensors[static_cast<size_t>(sensor)]; }
    bool any() const { return *this != Faults{}; }
    bool operator==(const Faults&) const = default;
};

/// A fault that is one number.
struct FaultKind {
    std::string_view id;
    std::string_view title;
    std::string_view unit;  ///< empty: a switch, or a share
    double usual = 1;       ///< the amount when none is given
    double least = 0, most = 1;
    double Faults::*member = nullptr;
};
std::span<const FaultKind> faultKinds();

/// A fault as the command line writes it: "coolant:dead", "pressure:offset=0.2", "banks-crossed", "bus-lost=0.01",
/// "wastegate-stuck=0", "power-cut-frame=1200". BadInput names what was not understood.
[[nodiscard]] Done addFault(Faults& faults, std::string_view text);

/// The faults by the names addFault() knows, with a title for a list.
struct FaultChoice {
    std::string name;
    std::string title;
};
const std::vector<FaultChoice>& faultChoices();

/// Faults that come and go on the clock of a drive.
class FaultPlan {
  public:
    struct Span {
        std::string fault;  ///< as addFault() takes it
        double from_s = 0;
        double to_s = std::numeric_limits<double>::infinity();
    };
    /// "FAULT", "FAULT@FROM", "FAULT@FROM-TO", seconds. Without a time it is there from the beginning.
    [[nodiscard]] Done add(std::string_view text);
    const std::vector<Span>& spans() const { return spans_; }
    /// What is wrong at a moment.
    Faults at(double time_s) const;
    /// Whether something begins or ends after `before_s` and not after `now_s`.
    bool changes(double before_s, double now_s) const;

  private:
    std::vector<Span> spans_;
};

}  // namespace brusk::benchcar
