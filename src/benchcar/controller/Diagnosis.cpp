// Counts what is implausible, sets codes, freezes values, and limps where a sensor is gone.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "benchcar/controller/Diagnosis.h"

#include <cstdlib>

#include "benchcar/controller/Air.h"

namespace brusk::benchcar {

namespace {
namespace L = layout;
constexpr int kNeverReached = 1 << 28;
constexpr uint32_t kSensorHeats = 6000;  // 10 ms after the start
constexpr int kWarm_i = 60 + 40;
constexpr int kMiddle_mV = 450, kAboutMiddle_mV = 20;
}  // namespace

enum Diagnosis::Code : uint8_t {
    Plausibility,
    MeterRange,
    MeterLow,
    MeterHigh,
    MapLow,
    MapHigh,
    IntakeLow,
    IntakeHigh,
    CoolantLow,
    CoolantHigh,
    ThrottleLow,
    ThrottleHigh,
    PedalLow,
    PedalHigh,
    Quiet,
    Quiet2,
    Lean,
    Rich,
    Lean2,
    Rich2,
    OverBoost,
    UnderBoost,
    Knock,
    IdleLow,
    IdleHigh,
    BatteryLow,
    BatteryHigh,
    Wheel
};

Diagnosis::Diagnosis(ControllerMemory& memory) : m_(memory) {
    // In the order of Code.
    const auto& d = L::diagnosis;
    codes_ = {{0x006800, &d.plausibility}, {0x010100, &d.meterRange},  {0x010200, &d.meterLow},
              {0x010300, &d.meterHigh},    {0x010700, &d.mapLow},      {0x010800, &d.mapHigh},
              {0x011200, &d.intakeLow},    {0x011300, &d.intakeHigh},  {0x011700, &d.coolantLow},
              {0x011800, &d.coolantHigh},  {0x012200, &d.throttleLow}, {0x012300, &d.throttleHigh},
              {0x212200, &d.pedalLow},     {0x212300, &d.pedalHigh},   {0x013400, &d.quiet},
              {0x015400, &d.quiet2},       {0x017100, &d.lean},        {0x017200, &d.rich},
              {0x017400, &d.lean2},        {0x017500, &d.rich2},       {0x023400, &d.overBoost},
              {0x029900, &d.underBoost},   {0x032700, &d.knock},       {0x050600, &d.idleLow},
              {0x050700, &d.idleHigh},     {0x056200, &d.batteryLow},  {0x056300, &d.batteryHigh},
              {0x050000, &d.wheel}};
}

void Diagnosis::powerUp() {
    for (StoredCode& code : codes_) {
        code.ticks = 0;
        code.status &= static_cast<uint8_t>(~(status::kFailed | status::kFailedThisCycle));
    }
    plausTicks_ = 0;
    quietTicks_ = {};
    recording_ = true;
}

void Diagnosis::clear() {
    for (StoredCode& code : codes_) {
        code.status = 0;
        code.ticks = code.occurrences = 0;
        code.frame = {};
    }
    plausTicks_ = deviationMost_ = airDeviationMost_ = 0;
    quietTicks_ = {};
}

FreezeFrame Diagnosis::frame(const Signals& s) const {
    return {s.speed_q,    s.pressure_c, s.load_r,     static_cast<int>(m_.seen(L::airSeen.filling)),
            s.coolant_d,  s.intake_d,   s.vehicle_c,  s.throttle_c,
            s.short_c[0], s.long_c[0],  s.short_c[1], s.long_c[1],
            s.battery_mV, s.runTicks,   s.closed[0]};
}

/// Counts how long a check fails; sets the code after its time. True while it fails at all.
bool Diagnosis::failing(Code index, bool condition, const Signals& s) {
    StoredCode& code = codes_[index];
    if (!m_.on(*code.enabled) || !condition) {
        code.ticks = 0;
        code.status &= static_cast<uint8_t>(~status::kFailed);
        return false;
    }
    code.ticks = std::min(code.ticks + 1, kNeverReached);
    if (code.ticks > m_.get(L::diagnosis.codeTime) && recording_ && !(code.status & status::kFailed)) {
        if (!(code.status & status::kConfirmed)) code.frame = frame(s);
        ++code.occurrences;
        code.status |= status::kAvailable;
    }
    return true;
}

bool Diagnosis::range(Code low, Code high, int value, const Item& least, const Item& most, const Signals& s) {
    const bool below = failing(low, value < m_.get(least), s);
    const bool above = failing(high, value > m_.get(most), s);
    const int enough = m_.get(L::diagnosis.substituteTime);
    return (below && codes_[low].ticks > enough) || (above && codes_[high].ticks > enough);
}

void Diagnosis::sensors(Signals& s) {
    const auto& d = L::diagnosis;
    const bool running = s.engine == EngineState::Running;
    s.pressureFailed = range(MapLow, MapHigh, s.in.map_mV, d.mapLeast, d.mapMost, s);
    // A meter at rest reads its zero: it is judged while the engine draws air.
    s.meterFailed =
        range(MeterLow, MeterHigh, running ? s.in.maf_Hz : m_.get(d.meterLeast), d.meterLeast, d.meterMost, s);
    s.intakeFailed = range(IntakeLow, IntakeHigh, s.in.intake_mV, d.intakeLeast, d.intakeMost, s);
    s.coolantFailed = range(CoolantLow, CoolantHigh, s.in.coolant_mV, d.coolantLeast, d.coolantMost, s);
    s.throttleFailed = range(ThrottleLow, ThrottleHigh, s.in.throttle_mV, d.throttleLeast, d.throttleMost, s);
    s.pedalFailed = range(PedalLow, PedalHigh, s.in.pedal_mV, d.pedalLeast, d.pedalMost, s);
    const bool deaf = failing(Knock, running && s.rpm > 1500 && s.in.knock_mV < m_.get(d.knockQuiet), s);
    s.knockFailed = deaf && codes_[Knock].ticks > m_.get(d.substituteTime);
    failing(Wheel, running && s.in.wheel_dHz == 0 && s.rpm > 2000 && !s.in.neutral && !s.in.clutch && s.load_r > 8000,
            s);

    // A healthy sensor only passes the middle; one with a broken wire floats there. Stuck at either side it is not
    // quiet: then the trims run to their stops and set their own codes.
    const bool heated = running && s.runTicks > kSensorHeats && s.coolant_i > kWarm_i;
    for (size_t bank = 0; bank < static_cast<size_t>(s.banks); ++bank) {
        const bool middle = std::abs(s.in.narrowband_mV[bank] - kMiddle_mV) < kAboutMiddle_mV;
        quietTicks_[bank] = heated && !s.fuelCut && middle ? quietTicks_[bank] + 1 : 0;
        const bool failed = failing(bank == 0 ? Quiet : Quiet2, quietTicks_[bank] > m_.get(d.quietTime) * 10, s);
        (bank == 0 ? s.narrowbandFailed : s.narrowband2Failed) = failed;
    }
}

/// Pressure against what throttle and speed let expect, airflow against speed-density.
void Diagnosis::plausible(Signals& s) {
    const auto& d = L::diagnosis;
    const int expected = static_cast<int>(int64_t{m_.look(d.expected, s.rpm, s.throttle_c)} * s.baro_c / 10130);
    const bool judged = s.engine == EngineState::Running && s.runTicks > 300 &&
                        s.throttle_c < m_.get(d.plausThrottle) && !s.pressureFailed && !s.throttleFailed;
    const int deviation = judged ? std::abs(expected - s.pressure_c) : 0;
    const int limit = m_.look(d.plausPressure, s.rpm);
    plausTicks_ = deviation > limit ? plausTicks_ + 1 : 0;
    const bool off = plausTicks_ > m_.get(d.plausTime);
    failing(Plausibility, off, s);
    const bool throttleUnknown = s.throttleFailed || s.pedalFailed;
    // Once in limp mode the car stays there until the key is turned or the code is cleared.
    const bool implausible = codes_[Plausibility].status & status::kFailedThisCycle;
    s.limp = m_.on(d.limpOn) && (implausible || throttleUnknown);
    deviationMost_ = std::max(deviationMost_, deviation);

    const bool compared = judged && !s.meterFailed && s.airSpeedDensity_ug > 40000;
    const int airDeviation =
        compared
            ? static_cast<int>(int64_t{std::abs(s.airMeter_ug - s.airSpeedDensity_ug)} * 1000 / s.airSpeedDensity_ug)
            : 0;
    failing(MeterRange, airDeviation > m_.look(d.plausAirflow, s.rpm) * 10, s);
    airDeviationMost_ = std::max(airDeviationMost_, airDeviation);
    m_.put(L::diagnosisSeen.expected, expected);
    m_.put(L::diagnosisSeen.deviation, deviation);
    m_.put(L::diagnosisSeen.deviationLimit, limit);
    m_.put(L::diagnosisSeen.deviationMost, deviationMost_);
    m_.put(L::diagnosisSeen.airDeviation, airDeviation);
    m_.put(L::diagnosisSeen.airDeviationMost, airDeviationMost_);
}

void Diagnosis::mixture(const Signals& s) {
    const int limit_c = m_.get(L::diagnosis.trim) * 100;
    for (size_t bank = 0; bank < static_cast<size_t>(s.banks); ++bank) {
        const int trims_c = s.short_c[bank] + s.long_c[bank];
        failing(bank == 0 ? Lean : Lean2, s.closed[bank] && trims_c > limit_c, s);
        failing(bank == 0 ? Rich : Rich2, s.closed[bank] && trims_c < -limit_c, s);
    }
}

void Diagnosis::engine(const Signals& s) {
    const auto& d = L::diagnosis;
    // A boost cut has waited its own delay: it needs no second one.
    if (s.boostCut) codes_[OverBoost].ticks = m_.get(d.codeTime);
    failing(OverBoost, s.boostCut, s);
    const int missing_c = s.boostTarget_c - s.pressure_c;
    failing(UnderBoost,
            s.boostActive && s.throttle_c > 9000 && s.rpm > 2600 && !s.fuelCut && missing_c > m_.get(d.boostUnder), s);
    const int off = m_.get(d.idleOff);
    // A cold engine idles as it can.
    const bool warm = s.coolant_i >= kWarm_i;
    const bool settled = s.idling && s.runTicks > 1000 && warm;
    failing(IdleLow, settled && s.rpm < s.idleTarget - off, s);
    constexpr int kStanding_c = 300;  // 0.01 km/h
    const bool free = s.engine == EngineState::Running && s.runTicks > 1000 && s.in.neutral && s.pedal_c < 100 &&
                      s.vehicle_c < kStanding_c && warm;
    failing(IdleHigh, free && s.rpm > s.idleTarget + off, s);
    const bool running = s.engine == EngineState::Running;
    failing(BatteryLow, running && s.battery_mV < m_.get(d.batteryLeast) * 100, s);
    failing(BatteryHigh, running && s.battery_mV > m_.get(d.batteryMost) * 100, s);
}

void Diagnosis::step(Signals& s) {
    sensors(s);
    plausible(s);
    mixture(s);
    engine(s);
    report(s);
}

void Diagnosis::report(const Signals& s) {
    int count = 0;
    for (const StoredCode& code : codes_)
        count += (code.status & status::kConfirmed) != 0;
    m_.put(L::diagnosisSeen.codes, count);
    m_.put(L::diagnosisSeen.lamp, count > 0);
    m_.put(L::diagnosisSeen.substitutes, s.pressureFailed | s.meterFailed << 1 | s.intakeFailed << 2 |
                                             s.coolantFailed << 3 | s.throttleFailed << 4 | s.pedalFailed << 5 |
                                             s.narrowbandFailed << 6 | s.narrowband2Failed << 7 | s.knockFailed << 8);
}

}  // namespace brusk::benchcar
