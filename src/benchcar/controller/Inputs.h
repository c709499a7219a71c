// From volts and frequencies to quantities: sensor curves, filters, substitutes for sensors that have failed, gear.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "benchcar/controller/ControllerMemory.h"
#include "benchcar/controller/Signals.h"

namespace brusk::benchcar {

namespace layout {

inline constexpr struct Inputs {
    Item calibrationId = text("calibration_id", 0x8C0010, 16);
    Item tunerNote = text("tuner_note", 0x8C0020, 32);
    Item mapSlope = value("map_sensor_slope", 0x8C0042, Store::U16, 0.01);
    Item mapOffset = value("map_sensor_offset", 0x8C0044, Store::S16, 0.01);
    Item mapFilter = value("map_filter", 0x8C0046, Store::U8, 100.0 / 256);
    Item meterFilter = value("maf_filter", 0x8C0047, Store::U8, 100.0 / 256);
    Item pedalFilter = value("pedal_filter", 0x8C0048, Store::U8, 100.0 / 256);
    Item temperatureFilter = value("temperature_filter", 0x8C0049, Store::U8, 100.0 / 256);
    Item throttleClosed = value("throttle_closed", 0x8C004A, Store::U16, 0.001);
    Item throttleOpen = value("throttle_open", 0x8C004C, Store::U16, 0.001);
    Item pedalClosed = value("pedal_closed", 0x8C004E, Store::U16, 0.001);
    Item pedalOpen = value("pedal_open", 0x8C0050, Store::U16, 0.001);
    Item batteryScale = value("battery_scale", 0x8C0052, Store::U16, 0.001);
    Item coolantDefault = value("coolant_default", 0x8C0054, Store::U8, 1, -40);
    Item intakeDefault = value("intake_default", 0x8C0055, Store::U8, 1, -40);
    Item baroDefault = value("baro_default", 0x8C0056, Store::U16, 0.01);
    Item baroThrottle = value("baro_throttle", 0x8C0058, Store::U16, 0.01);
    Item baroFilter = value("baro_filter", 0x8C005A, Store::U8, 100.0 / 4096);
    Item wheelPulses = value("wheel_pulses", 0x8C005C, Store::U16);
    Item gearRatio = curve("gear_ratio", 0x8C0060, counted(1, 6), Store::U16, 0.01);
    Item gearTolerance = value("gear_tolerance", 0x8C0070, Store::U8);
    Item coolantSensor = curve("coolant_sensor", 0x8C0080, own(Store::U16, 0.001, 16), Store::U8, 1, -40);
    Item intakeSensor = curve("intake_sensor", 0x8C00C0, own(Store::U16, 0.001, 16), Store::U8, 1, -40);
    Item meterCurve = curve("maf_curve", 0x8C0100, own(Store::U16, 1, 24), Store::U16, 0.02);
} inputs;

inline constexpr struct InputsSeen {
    Item speed = value("speed", 0x3F0000, Store::U16, 0.25);
    Item pressure = value("pressure", 0x3F0002, Store::U16, 0.01);
    Item mapVolts = value("map_volts", 0x3F0004, Store::U16, 0.001);
    Item throttle = value("throttle", 0x3F0006, Store::U16, 0.01);
    Item pedal = value("pedal", 0x3F0008, Store::U16, 0.01);
    Item intakeTemp = value("intake_temp", 0x3F000A, Store::S16, 0.1);
    Item coolant = value("coolant", 0x3F000C, Store::S16, 0.1);
    Item battery = value("battery", 0x3F000E, Store::U16, 0.001);
    Item baro = value("baro", 0x3F0010, Store::U16, 0.01);
    Item meterFrequency = value("maf_frequency", 0x3F0012, Store::U16);
    Item meterFlow = value("maf_flow", 0x3F0014, Store::U16, 0.02);
    Item throttleVolts = value("throttle_volts", 0x3F0016, Store::U16, 0.001);
    Item pedalVolts = value("pedal_volts", 0x3F0018, Store::U16, 0.001);
    Item intakeVolts = value("intake_volts", 0x3F001A, Store::U16, 0.001);
    Item coolantVolts = value("coolant_volts", 0x3F001C, Store::U16, 0.001);
    Item narrowband = value("narrowband", 0x3F001E, Store::U16, 0.001);
    Item narrowband2 = value("narrowband_2", 0x3F0020, Store::U16, 0.001);
    Item knockVolts = value("knock_volts", 0x3F0022, Store::U16, 0.001);
    Item vehicleSpeed = value("vehicle_speed", 0x3F0024, Store::U16, 0.01);
    Item wheelRate = value("wheel_rate", 0x3F0026, Store::U16, 0.1);
    Item gear = value("gear", 0x3F0028, Store::U8);
    Item engineState = value("engine_state", 0x3F0029, Store::U8);
    Item runTime = value("run_time", 0x3F002A, Store::U32, 0.01);
    Item starter = value("starter", 0x3F002E, Store::U8);
    Item neutral = value("neutral", 0x3F002F, Store::U8);
    Item clutch = value("clutch_pressed", 0x3F0030, Store::U8);
    Item brake = value("brake", 0x3F0031, Store::U8);
    Item airConditioning = value("ac_request", 0x3F0032, Store::U8);
    Item spareVolts = value("spare_volts", 0x3F0034, Store::U16, 0.001);
} inputsSeen;

}  // namespace layout

class Inputs {
  public:
    explicit Inputs(ControllerMemory& memory) : m_(memory) {}
    void powerUp();
    void step(Signals& s);

  private:
    void readEngine(Signals& s);
    void readPressures(Signals& s);
    void readTemperatures(Signals& s);
    void readPositions(Signals& s);
    void readVehicle(Signals& s);
    void report(const Signals& s);

    ControllerMemory& m_;
    int64_t pressureFine_ = 0, meterFine_ = 0, pedalFine_ = 0, coolantFine_ = 0, intakeFine_ = 0, baroFine_ = 0;
    bool first_ = true;
};

}  // namespace brusk::benchcar
