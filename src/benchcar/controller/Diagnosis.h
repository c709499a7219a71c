// The controller's watch over sensors, mixture and itself: range and plausibility checks, trouble codes with the frame
// of values in which they were set, substitutes and limp mode.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "benchcar/controller/ControllerMemory.h"
#include "benchcar/controller/Signals.h"

namespace brusk::benchcar {

namespace layout {

inline constexpr struct Diagnosis {
    Item plausibility = flag("diag_plausibility", 0x8E4000, 0x01);
    Item meterRange = flag("diag_maf_range", 0x8E4000, 0x02);
    Item meterLow = flag("diag_maf_low", 0x8E4000, 0x04);
    Item meterHigh = flag("diag_maf_high", 0x8E4000, 0x08);
    Item mapLow = flag("diag_map_low", 0x8E4000, 0x10);
    Item mapHigh = flag("diag_map_high", 0x8E4000, 0x20);
    Item intakeLow = flag("diag_intake_low", 0x8E4000, 0x40);
    Item intakeHigh = flag("diag_intake_high", 0x8E4000, 0x80);
    Item coolantLow = flag("diag_coolant_low", 0x8E4001, 0x01);
    Item coolantHigh = flag("diag_coolant_high", 0x8E4001, 0x02);
    Item throttleLow = flag("diag_throttle_low", 0x8E4001, 0x04);
    Item throttleHigh = flag("diag_throttle_high", 0x8E4001, 0x08);
    Item pedalLow = flag("diag_pedal_low", 0x8E4001, 0x10);
    Item pedalHigh = flag("diag_pedal_high", 0x8E4001, 0x20);
    Item quiet = flag("diag_narrowband_quiet", 0x8E4001, 0x40);
    Item quiet2 = flag("diag_narrowband_2_quiet", 0x8E4001, 0x80);
    Item lean = flag("diag_lean", 0x8E4002, 0x01);
    Item rich = flag("diag_rich", 0x8E4002, 0x02);
    Item lean2 = flag("diag_lean_2", 0x8E4002, 0x04);
    Item rich2 = flag("diag_rich_2", 0x8E4002, 0x08);
    Item overBoost = flag("diag_overboost", 0x8E4002, 0x10);
    Item underBoost = flag("diag_underboost", 0x8E4002, 0x20);
    Item knock = flag("diag_knock", 0x8E4002, 0x40);
    Item idleLow = flag("diag_idle_low", 0x8E4002, 0x80);
    Item idleHigh = flag("diag_idle_high", 0x8E4003, 0x01);
    Item batteryLow = flag("diag_battery_low", 0x8E4003, 0x02);
    Item batteryHigh = flag("diag_battery_high", 0x8E4003, 0x04);
    Item wheel = flag("diag_wheel", 0x8E4003, 0x08);
    Item limpOn = flag("limp_on", 0x8E4004, 0x01);
    Item codeTime = value("code_time", 0x8E4006, Store::U16, 0.01);
    Item substituteTime = value("substitute_time", 0x8E4008, Store::U16, 0.01);
    Item mapLeast = value("diag_low_volts", 0x8E400A, Store::U16, 0.001);
    Item mapMost = value("diag_high_volts", 0x8E400C, Store::U16, 0.001);
    Item meterLeast = value("maf_least", 0x8E400E, Store::U16);
    Item meterMost = value("maf_most", 0x8E4010, Store::U16);
    Item intakeLeast = value("intake_least_volts", 0x8E4012, Store::U16, 0.001);
    Item intakeMost = value("intake_most_volts", 0x8E4014, Store::U16, 0.001);
    Item coolantLeast = value("coolant_least_volts", 0x8E4016, Store::U16, 0.001);
    Item coolantMost = value("coolant_most_volts", 0x8E4018, Store::U16, 0.001);
    Item throttleLeast = value("throttle_least_volts", 0x8E401A, Store::U16, 0.001);
    Item throttleMost = value("throttle_most_volts", 0x8E401C, Store::U16, 0.001);
    Item pedalLeast = value("pedal_least_volts", 0x8E401E, Store::U16, 0.001);
    Item pedalMost = value("pedal_most_volts", 0x8E4020, Store::U16, 0.001);
    Item quietTime = value("narrowband_quiet_time", 0x8E4022, Store::U16, 0.1);
    Item trim = value("diag_trim", 0x8E4024, Store::U8);
    Item boostUnder = value("boost_under", 0x8E4026, Store::U16, 0.01);
    Item knockQuiet = value("knock_quiet", 0x8E4028, Store::U16, 0.001);
    Item idleOff = value("idle_off", 0x8E402A, Store::U16);
    Item batteryLeast = value("battery_least", 0x8E402C, Store::U8, 0.1);
    Item batteryMost = value("battery_most", 0x8E402D, Store::U8, 0.1);
    Item expected =
        map("expected_pressure", 0x8E4040, own(Store::U16, 1, 8), own(Store::U16, 0.01, 7), Store::U16, 0.01);
    Item plausPressure = curve("plaus_pressure", 0x8E40E0, own(Store::U16, 1, 6), Store::U16, 0.01);
    Item plausThrottle = value("plaus_throttle", 0x8E4100, Store::U16, 0.01);
    Item plausTime = value("plaus_time", 0x8E4102, Store::U16, 0.01);
    Item plausAirflow = curve("plaus_airflow", 0x8E4110, own(Store::U16, 1, 6), Store::U8);
} diagnosis;

inline constexpr struct DiagnosisSeen {
    Item codes = value("codes_set", 0x3F0160, Store::U8);
    Item expected = value("expected_pressure_now", 0x3F0162, Store::U16, 0.01);
    Item deviation = value("pressure_deviation", 0x3F0164, Store::U16, 0.01);
    Item deviationLimit = value("pressure_deviation_limit", 0x3F0166, Store::U16, 0.01);
    Item deviationMost = value("pressure_deviation_most", 0x3F0168, Store::U16, 0.01);
    Item airDeviation = value("airflow_deviation", 0x3F016A, Store::U16, 0.1);
    Item airDeviationMost = value("airflow_deviation_most", 0x3F016C, Store::U16, 0.1);
    Item lamp = value("warning_lamp", 0x3F016E, Store::U8);
    Item substitutes = value("substitutes", 0x3F0170, Store::U16);
} diagnosisSeen;

}  // namespace layout

/// The values in which a code was set, as ISO 15031-5 asks for.
struct FreezeFrame {
    int speed_q = 0, pressure_c = 0, load_r = 0, filling_c = 0, coolant_d = 0, intake_d = 0, vehicle_c = 0,
        throttle_c = 0, short_c = 0, long_c = 0, short2_c = 0, long2_c = 0, battery_mV = 0;
    uint32_t runTicks = 0;
    bool closed = false;
};

/// Status bits of ISO 14229-1, annex D.2.
namespace status {
inline constexpr uint8_t kFailed = 0x01, kFailedThisCycle = 0x02, kPending = 0x04, kConfirmed = 0x08,
                         kFailedSinceClear = 0x20, kLamp = 0x80;
inline constexpr uint8_t kAvailable = kFailed | kFailedThisCycle | kPending | kConfirmed | kFailedSinceClear | kLamp;
}  // namespace status

/// A trouble code the controller can set.
struct StoredCode {
    uint32_t code;        ///< three bytes: SAE J2012 code and failure type
    const Item* enabled;  ///< the switch that silences it
    uint8_t status = 0;
    int ticks = 0;  ///< 10 ms of failing
    int occurrences = 0;
    FreezeFrame frame{};
};

class Diagnosis {
  public:
    explicit Diagnosis(ControllerMemory& memory);
    /// Codes are kept through a power cycle, as the law asks.
    void powerUp();
    void step(Signals& s);
    void clear();

    const std::vector<StoredCode>& codes() const { return codes_; }
    /// The values of this moment.
    FreezeFrame frame(const Signals& s) const;
    /// ISO 14229 control of code setting: off while somebody flashes or works on the wires.
    void setRecording(bool on) { recording_ = on; }
    bool recording() const { return recording_; }

  private:
    enum Code : uint8_t;
    bool failing(Code code, bool condition, const Signals& s);
    /// Range check of a sensor; true when its value is to be replaced.
    bool range(Code low, Code high, int value, const Item& least, const Item& most, const Signals& s);
    void plausible(Signals& s);
    void mixture(const Signals& s);
    void sensors(Signals& s);
    void engine(const Signals& s);
    void report(const Signals& s);
    ControllerMemory& m_;
    std::vector<StoredCode> codes_;
    bool recording_ = true;
    int plausTicks_ = 0;
    int deviationMost_ = 0, airDeviationMost_ = 0;
    std::array<int, 2> quietTicks_{};
};

}  // namespace brusk::benchcar
