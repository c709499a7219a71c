// Voltages become values by the lines in the flash, filtered as the firmware does.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "benchcar/controller/Inputs.h"

namespace brusk::benchcar {

namespace {

namespace L = layout;
constexpr int kRunning_rpm = 500;
constexpr int kStalled_rpm = 120;
constexpr int kFine = 1024;       // filters keep this many parts of a count
constexpr int kSupplied_mV = 60;  // a sensor below it has no supply or no wire

/// First-order filter: `weight` 1/256 of the new reading each step.
int64_t filter(int64_t fine, int64_t reading, int weight) {
    return fine + (reading * kFine - fine) * (weight + 1) / 256;
}

int travel(int volts_mV, int closed_mV, int open_mV) {
    const int span = std::max(100, open_mV - closed_mV);
    return std::clamp(static_cast<int>(int64_t{volts_mV - closed_mV} * 10000 / span), 0, 10000);
}

}  // namespace

void Inputs::powerUp() {
    pressureFine_ = meterFine_ = pedalFine_ = coolantFine_ = intakeFine_ = baroFine_ = 0;
    first_ = true;
}

void Inputs::step(Signals& s) {
    readEngine(s);
    readPressures(s);
    readTemperatures(s);
    readPositions(s);
    readVehicle(s);
    report(s);
    first_ = false;
}

void Inputs::readEngine(Signals& s) {
    s.speed_q = s.in.speed_qrpm;
    s.rpm = s.in.speed_qrpm / 4;
    // An engine that was turned keeps its fuel while it catches.
    const bool turned = s.in.starter || (s.engine != EngineState::Stopped && s.rpm > kStalled_rpm);
    s.engine = s.rpm > kRunning_rpm ? EngineState::Running : turned ? EngineState::Cranking : EngineState::Stopped;
    s.runTicks = s.engine == EngineState::Running ? s.runTicks + 1 : 0;
    s.crankTicks = s.engine == EngineState::Cranking ? s.crankTicks + 1 : 0;
    s.battery_mV = static_cast<int>(int64_t{s.in.battery_mV} * m_.get(L::inputs.batteryScale) / 1000);
}

void Inputs::readPressures(Signals& s) {
    const int64_t read_c = int64_t{s.in.map_mV} * m_.get(L::inputs.mapSlope) / 1000 + m_.get(L::inputs.mapOffset);
    const int64_t held = std::clamp<int64_t>(read_c, 500, 60000);
    if (first_) {
        pressureFine_ = held * kFine;
        baroFine_ = int64_t{m_.get(L::inputs.baroDefault)} * kFine;
    }
    pressureFine_ = filter(pressureFine_, held, m_.get(L::inputs.mapFilter));
    s.pressure_c = static_cast<int>(pressureFine_ / kFine);
    // Weather and altitude: from the manifold while the engine stands, and (without boost) behind an open throttle.
    const bool open = s.engine == EngineState::Running && !s.boostActive &&
                      s.throttle_c > m_.get(L::inputs.baroThrottle) && s.rpm < 3000 && s.pressure_c < 10600 &&
                      s.pressure_c > s.baro_c;
    if (s.pressureFailed)
        baroFine_ = int64_t{m_.get(L::inputs.baroDefault)} * kFine;
    else if ((s.engine == EngineState::Stopped && s.rpm == 0) || open)
        baroFine_ += (int64_t{s.pressure_c} * kFine - baroFine_) * (m_.get(L::inputs.baroFilter) + 1) / 4096;
    s.baro_c = static_cast<int>(std::clamp<int64_t>(baroFine_ / kFine, 5000, 11000));

    const int flow = m_.look(L::inputs.meterCurve, s.in.maf_Hz);
    meterFine_ = filter(meterFine_, flow, m_.get(L::inputs.meterFilter));
    s.meter_f = static_cast<int>(meterFine_ / kFine);
}

void Inputs::readTemperatures(Signals& s) {
    // The curves give whole degrees; the filter, kept in finer parts, smooths the steps between them.
    const auto read = [&](const Item& sensor, int volts_mV, bool failed, const Item& substitute, int64_t& fine) {
        const int celsius = failed ? m_.get(substitute) - 40 : m_.look(sensor, volts_mV) - 40;
        if (first_) fine = int64_t{celsius} * 10 * kFine;
        fine = filter(fine, int64_t{celsius} * 10, m_.get(L::inputs.temperatureFilter));
        return static_cast<int>(fine / kFine);
    };
    s.coolant_d =
        read(L::inputs.coolantSensor, s.in.coolant_mV, s.coolantFailed, L::inputs.coolantDefault, coolantFine_);
    s.intake_d = read(L::inputs.intakeSensor, s.in.intake_mV, s.intakeFailed, L::inputs.intakeDefault, intakeFine_);
    s.coolant_i = std::clamp((s.coolant_d + 400) / 10, 0, 255);
    s.intake_i = std::clamp((s.intake_d + 400) / 10, 0, 255);
}

void Inputs::readPositions(Signals& s) {
    s.throttle_c = s.throttleFailed
                       ? s.throttleTarget_c
                       : travel(s.in.throttle_mV, m_.get(L::inputs.throttleClosed), m_.get(L::inputs.throttleOpen));
    // A pedal without supply is a foot that is off.
    const int foot = s.pedalFailed || s.in.pedal_mV < kSupplied_mV
                         ? 0
                         : travel(s.in.pedal_mV, m_.get(L::inputs.pedalClosed), m_.get(L::inputs.pedalOpen));
    pedalFine_ = filter(pedalFine_, foot, m_.get(L::inputs.pedalFilter));
    s.pedal_c = static_cast<int>(pedalFine_ / kFine);
}

void Inputs::readVehicle(Signals& s) {
    const int perKm = std::max(1, m_.get(L::inputs.wheelPulses));
    s.vehicle_c = static_cast<int>(std::min<int64_t>(int64_t{s.in.wheel_dHz} * 36000 / perKm, 65535));
    s.gear = 0;
    if (s.in.neutral || s.in.clutch || s.vehicle_c < 300) return;
    // The gear is the one whose ratio of engine to road speed is nearest and near enough.
    const int ratio = static_cast<int>(int64_t{s.rpm} * 10000 / s.vehicle_c);  // 0.01 rpm per km/h
    int nearest = m_.get(L::inputs.gearTolerance);
    for (int gear = 1; gear <= 6; ++gear) {
        const int known = std::max(1, m_.look(L::inputs.gearRatio, gear));
        const int off = std::abs(ratio - known) * 100 / known;
        if (off < nearest) nearest = off, s.gear = gear;
    }
}

void Inputs::report(const Signals& s) {
    const auto& seen = L::inputsSeen;
    m_.put(seen.speed, s.speed_q);
    m_.put(seen.pressure, s.pressure_c);
    m_.put(seen.mapVolts, s.in.map_mV);
    m_.put(seen.throttle, s.throttle_c);
    m_.put(seen.pedal, s.pedal_c);
    m_.put(seen.intakeTemp, s.intake_d);
    m_.put(seen.coolant, s.coolant_d);
    m_.put(seen.battery, s.battery_mV);
    m_.put(seen.baro, s.baro_c);
    m_.put(seen.meterFrequency, s.in.maf_Hz);
    m_.put(seen.meterFlow, s.meter_f);
    m_.put(seen.throttleVolts, s.in.throttle_mV);
    m_.put(seen.pedalVolts, s.in.pedal_mV);
    m_.put(seen.intakeVolts, s.in.intake_mV);
    m_.put(seen.coolantVolts, s.in.coolant_mV);
    m_.put(seen.narrowband, s.in.narrowband_mV[0]);
    m_.put(seen.narrowband2, s.in.narrowband_mV[1]);
    m_.put(seen.knockVolts, s.in.knock_mV);
    m_.put(seen.vehicleSpeed, s.vehicle_c);
    m_.put(seen.wheelRate, s.in.wheel_dHz);
    m_.put(seen.gear, s.gear);
    m_.put(seen.engineState, static_cast<int>(s.engine));
    m_.put(seen.runTime, s.runTicks);
    m_.put(seen.starter, s.in.starter);
    m_.put(seen.neutral, s.in.neutral);
    m_.put(seen.clutch, s.in.clutch);
    m_.put(seen.brake, s.in.brake);
    m_.put(seen.airConditioning, s.in.airConditioning);
    m_.put(seen.spareVolts, s.in.spare_mV);
}

}  // namespace brusk::benchcar
