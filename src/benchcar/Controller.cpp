// SPDX-License-Identifier: GPL-3.0-or-later
#include "benchcar/Controller.h"

#include <algorithm>

namespace brusk::benchcar {

namespace cal = map::cal;
namespace ram = map::ram;

namespace {
constexpr int kRunning_rpm = 500;
constexpr int kStalled_rpm = 120;
constexpr int kShortLimitScale = 100;
constexpr int kZoneBorders[] = {1200, 3000, 6500};  // 0.02 kg/h: 24, 60, 130 kg/h
constexpr int kCodeTicks = 300;                     // three seconds of failing set a code
}  // namespace

void Controller::powerUp() {
    // Trouble codes are kept through a power cycle, as the law asks, and so is what the long trim learned.
    in_ = {};
    pressure_c_ = 10130;
    charge_dK_ = 2980;
    airflow_c_ = air_ug_ = short_c_ = 0;
    shortFine_ = idleFine_ = 0;
    wasRich_ = loopClosed_ = cut_ = overRev_ = overBoost_ = fan_ = false;
    runTicks_ = 0;
    engineState_ = 0;
    failTicks_ = {};
    memory_.clearRam();
}

void Controller::clearCodes() {
    for (StoredCode& code : codes_)
        code.status = 0;
    learnedFine_ = {};
    failTicks_ = {};
}

ActuatorCommands Controller::step(const SensorReadings& in) {
    readSensors(in);
    estimateAir();
    askLambda();
    closeLoop();
    ActuatorCommands out;
    out.pulse_us = fuelPulse();
    out.spark_d = spark();
    out.throttle_c = throttle();
    out.wastegate_h = wastegate();
    const int coolant = coolantIndex();
    fan_ = coolant >= memory_.u8(cal::kFanOn) || (fan_ && coolant > memory_.u8(cal::kFanOff));
    out.fan = fan_;
    memory_.put8(ram::kFan, fan_);
    watch();
    return out;
}

/// Coolant as the curves want it: whole degrees and 40.
int Controller::coolantIndex() const {
    return std::clamp(in_.coolant_dC / 10 + 40, 0, 255);
}

void Controller::readSensors(const SensorReadings& in) {
    in_ = in;
    const int rpm = in.speed_qrpm / 4;
    // An engine that was turned keeps its fuel while it catches.
    engineState_ = rpm > kRunning_rpm ? 2 : in.starter || (engineState_ > 0 && rpm > kStalled_rpm) ? 1 : 0;
    runTicks_ = engineState_ == 2 ? runTicks_ + 1 : 0;

    const int64_t read_c =
        (int64_t{in.mapVolts_mV} * memory_.u16(cal::kMapSlope)) / 1000 + memory_.s16(cal::kMapOffset);
    const int weight = memory_.u8(cal::kMapFilter);
    pressure_c_ += static_cast<int>((std::clamp<int64_t>(read_c, 500, 60000) - pressure_c_) * (weight + 1) / 256);

    const uint32_t speedAxis = cal::kAxisSpeed;
    const uint32_t pressureAxis = cal::kAxisPressure;
    speedAt_ = memory_.locate(speedAxis + 2, memory_.axisCount(speedAxis, 16), 2, rpm);
    pressureAt_ = memory_.locate(pressureAxis + 2, memory_.axisCount(pressureAxis, 14), 2, pressure_c_);

    const int pulsesPerKm = std::max(1, memory_.u16(cal::kWheelPulses));
    memory_.put16(ram::kSpeed, in.speed_qrpm);
    memory_.put16(ram::kPressure, pressure_c_);
    memory_.put16(ram::kMapVolts, in.mapVolts_mV);
    memory_.put16(ram::kThrottle, in.throttle_c);
    memory_.put16(ram::kPedal, in.pedal_c);
    memory_.put16(ram::kIntakeTemp, in.intake_dC);
    memory_.put16(ram::kCoolant, in.coolant_dC);
    memory_.put16(ram::kBattery, in.battery_mV);
    memory_.put16(ram::kNarrowband, in.narrowband_mV);
    memory_.put16(ram::kVehicleSpeed, static_cast<int>(int64_t{in.wheelPulses} * 360000 / pulsesPerKm));
    memory_.put8(ram::kGear, in.gear);
    memory_.put8(ram::kEngineState, engineState_);
    memory_.put32(ram::kRunTime, runTicks_);
}

void Controller::estimateAir() {
    // Slow air warms up on its way: the charge's temperature lies between intake and coolant.
    const int share = memory_.curve(cal::kChargeBlend, 6, 2, 1, airflow_c_ / 5);
    charge_dK_ = 2732 + in_.intake_dC + (in_.coolant_dC - in_.intake_dC) * share / 256;

    const int columns = memory_.axisCount(cal::kAxisSpeed, 16);
    const int rows = memory_.axisCount(cal::kAxisPressure, 14);
    ve_ = memory_.between(cal::kVe, columns, 2, false, speedAt_, pressureAt_, rows);

    // m = VE p V / (4 R T); ve 1e-4, p 10 Pa, V cm3, T 0.1 K, R 287.05 J/(kg K), result in micrograms.
    const int64_t air =
        int64_t{ve_} * pressure_c_ * memory_.u16(cal::kDisplacement) / 114820 * 1000 / std::max(charge_dK_, 2000);
    air_ug_ = static_cast<int>(std::min<int64_t>(air, 1300000));
    // Two strokes a revolution for four cylinders: kg/h = ug * rpm * 2 * 60 / 1e9; in 0.02 kg/h with quarter
    // revolutions.
    airflow_c_ = static_cast<int>(std::min<int64_t>(int64_t{air_ug_} * in_.speed_qrpm * 3 / 2000000, 65535));

    memory_.put16(ram::kChargeTemp, charge_dK_ - 2732);
    memory_.put16(ram::kVeUsed, ve_);
    memory_.put16(ram::kAirPerCylinder, air_ug_ / 20);
    memory_.put16(ram::kAirflow, airflow_c_);
}

void Controller::askLambda() {
    const int columns = memory_.axisCount(cal::kAxisSpeed, 16);
    const int rows = memory_.axisCount(cal::kAxisPressure, 14);
    const int target_128 = std::max(64, memory_.between(cal::kLambda, columns, 1, false, speedAt_, pressureAt_, rows));
    int enrich_c = memory_.curve(cal::kWarmUp, 8, 1, 1, coolantIndex()) * 50;
    const int decay = std::max(1, memory_.u16(cal::kAfterStartDecay) * 10);
    if (runTicks_ < static_cast<uint32_t>(decay))
        enrich_c += memory_.u8(cal::kAfterStart) * 50 * (decay - static_cast<int>(runTicks_)) / decay;
    warmUp_c_ = enrich_c;
    lambda_ = static_cast<int>(int64_t{target_128} * 10000 * 10000 / 128 / (10000 + enrich_c));
    memory_.put16(ram::kLambdaAsked, lambda_);
    memory_.put16(ram::kWarmUp, warmUp_c_);
}

int Controller::learnZone() const {
    return static_cast<int>(std::upper_bound(std::begin(kZoneBorders), std::end(kZoneBorders), airflow_c_) -
                            std::begin(kZoneBorders));
}

void Controller::closeLoop() {
    const bool ready = memory_.u8(cal::kLoopOn) && coolantIndex() >= memory_.u8(cal::kLoopCoolant) &&
                       runTicks_ > static_cast<uint32_t>(memory_.u16(cal::kLoopWait)) * 10 && lambda_ > 9850 &&
                       lambda_ < 10150 && !cut_;
    int64_t& learned = learnedFine_[static_cast<size_t>(learnZone())];
    if (!ready) {
        shortFine_ = 0;
        loopClosed_ = false;
    } else {
        const bool rich = in_.narrowband_mV > 450;
        const int64_t limit = int64_t{memory_.u8(cal::kLoopLimit)} * kShortLimitScale * 1000;
        if (loopClosed_ && rich != wasRich_)
            shortFine_ += (rich ? -1 : 1) * int64_t{memory_.u16(cal::kLoopJump)} * 1000;
        shortFine_ += (rich ? -1 : 1) * int64_t{memory_.u16(cal::kLoopRamp)} * 10;
        shortFine_ = std::clamp(shortFine_, -limit, limit);
        const int64_t learnLimit = int64_t{memory_.u8(cal::kLearnLimit)} * 100 * 1000000;
        // Ten milliseconds of (rate 0.1 % per second) of the short trim.
        learned = std::clamp(learned + shortFine_ * memory_.u16(cal::kLearnRate) / 100, -learnLimit, learnLimit);
        wasRich_ = rich;
        loopClosed_ = true;
    }
    short_c_ = static_cast<int>(shortFine_ / 1000);
    memory_.put16(ram::kShortTrim, short_c_);
    memory_.put16(ram::kLongTrim, static_cast<int>(learned / 1000000));
    memory_.put8(ram::kLoopState, loopClosed_ ? 1 : runTicks_ == 0 ? 0 : 2);
}

bool Controller::fuelCut() {
    const int rpm = in_.speed_qrpm / 4;
    const bool overrun = in_.pedal_c < 100 && rpm > memory_.u16(cut_ ? cal::kCutEnds : cal::kCutBegins);
    cut_ = overrun && runTicks_ > 200;
    const int limit = memory_.u16(cal::kRevLimit);
    overRev_ = rpm > limit || (overRev_ && rpm > limit - memory_.u16(cal::kRevReturn));
    overBoost_ =
        pressure_c_ > memory_.u16(cal::kBoostCut) || (overBoost_ && pressure_c_ > memory_.u16(cal::kBoostCut) - 2000);
    memory_.put8(ram::kFuelCut, cut_ ? 1 : overRev_ ? 2 : overBoost_ ? 3 : 0);
    memory_.put8(ram::kBoostCut, overBoost_);
    return cut_ || overRev_ || overBoost_;
}

int Controller::fuelPulse() {
    const int dead_us = memory_.curve(cal::kDeadTime, 8, 1, 2, in_.battery_mV / 100);
    const int longTrim_c = static_cast<int>(learnedFine_[static_cast<size_t>(learnZone())] / 1000000);
    // Fuel in micrograms: air over stoichiometric ratio (0.001) and lambda (0.0001), times the trims (0.01 %).
    int64_t fuel_ug = int64_t{air_ug_} * 10000000 / std::max(1, memory_.u16(cal::kStoich)) / std::max(1, lambda_);
    fuel_ug = fuel_ug * (10000 + short_c_) / 10000 * (10000 + longTrim_c) / 10000;
    // Flow 0.1 cm3/min, density 0.0001 g/cm3.
    const int64_t rate =
        std::max<int64_t>(1, int64_t{memory_.u16(cal::kInjectorFlow)} * memory_.u16(cal::kFuelDensity));
    int64_t pulse = fuel_ug * 6000000 / rate;
    pulse = std::max<int64_t>(pulse, memory_.u16(cal::kMinPulse)) + dead_us;
    const bool stopped = engineState_ == 0;
    const int out = fuelCut() || stopped ? 0 : static_cast<int>(std::min<int64_t>(pulse, 60000));
    memory_.put16(ram::kPulse, out);
    memory_.put16(ram::kDeadTime, dead_us);
    // One injection per 720 degrees: duty = pulse rpm / 120 s.
    memory_.put16(ram::kInjectorDuty,
                  static_cast<int>(std::min<int64_t>(int64_t{out} * in_.speed_qrpm / 48000, 10000)));
    return out;
}

int Controller::spark() {
    const int columns = memory_.axisCount(cal::kAxisSpeed, 16);
    const int rows = memory_.axisCount(cal::kAxisLoad, 12);
    const auto load = memory_.locate(cal::kAxisLoad + 2, rows, 2, air_ug_ / 20);
    const bool idling = in_.pedal_c < 100 && in_.speed_qrpm < 1400 * 4;
    const int out =
        idling ? memory_.s16(cal::kSparkIdle) : memory_.between(cal::kSpark, columns, 2, true, speedAt_, load, rows);
    memory_.put16(ram::kSpark, out);
    return out;
}

int Controller::throttle() {
    const int rpm = in_.speed_qrpm / 4;
    const int target = memory_.curve(cal::kIdleSpeed, 6, 1, 2, coolantIndex());
    const int base = memory_.curve(cal::kIdleAir, 6, 1, 2, coolantIndex());
    const int error = target - rpm;
    const bool idling = in_.pedal_c < 100 && rpm < target + 500 && engineState_ == 2;
    // The integral part follows only near idle, and is held while the car drives.
    if (idling)
        idleFine_ = std::clamp<int64_t>(idleFine_ + int64_t{error} * memory_.u16(cal::kIdleI) / 10, -300000, 500000);
    const int proportional = idling ? std::clamp(error * memory_.u16(cal::kIdleP) / 100, -150, 300) : 0;
    const int idle = base + static_cast<int>(idleFine_ / 1000) + proportional;

    const int columns = memory_.axisCount(cal::kPedal, 8);
    const int rows = std::clamp(memory_.u16(cal::kPedal + 2), 1, 6);
    const uint32_t pedals = cal::kPedal + 4;
    const uint32_t speeds = pedals + static_cast<uint32_t>(2 * columns);
    const uint32_t values = speeds + static_cast<uint32_t>(2 * rows);
    const int asked = memory_.between(values, columns, 2, false, memory_.locate(pedals, columns, 2, in_.pedal_c),
                                      memory_.locate(speeds, rows, 2, rpm), rows);
    const int out = std::clamp(asked + idle, 0, 10000);
    memory_.put16(ram::kIdleTarget, target);
    memory_.put16(ram::kIdleIntegral, static_cast<int>(idleFine_ / 1000));
    memory_.put16(ram::kThrottleTarget, out);
    return out;
}

int Controller::wastegate() {
    const int columns = memory_.axisCount(cal::kAxisSpeed, 16);
    const int duty =
        overBoost_ || in_.pedal_c < 3000 ? 0 : memory_.between(cal::kWastegate, columns, 1, false, speedAt_, {0, 0}, 1);
    memory_.put8(ram::kWastegate, duty);
    return duty;
}

void Controller::setCode(CodeIndex index, int switchBit, bool failing) {
    const bool watched = memory_.u8(cal::kDiagSwitches) >> switchBit & 1;
    StoredCode& code = codes_[index];
    if (!watched || !failing) {
        failTicks_[index] = 0;
        code.status &= static_cast<uint8_t>(~0x01);
        return;
    }
    if (++failTicks_[index] >= kCodeTicks) code.status |= 0x01 | 0x04 | 0x08;  // failing, pending, confirmed
}

void Controller::watch() {
    setCode(kMapLowCode, 0, in_.mapVolts_mV < memory_.u16(cal::kDiagMapLow));
    setCode(kMapHighCode, 1, in_.mapVolts_mV > memory_.u16(cal::kDiagMapHigh));
    const int trims_c = short_c_ + static_cast<int>(learnedFine_[static_cast<size_t>(learnZone())] / 1000000);
    const int limit_c = memory_.u8(cal::kDiagTrim) * 100;
    setCode(kLeanCode, 2, loopClosed_ && trims_c > limit_c);
    setCode(kRichCode, 3, loopClosed_ && trims_c < -limit_c);
}

}  // namespace brusk::benchcar
