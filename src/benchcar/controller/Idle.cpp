// Air by a map and a regulator, spark for what is quicker than air.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "benchcar/controller/Idle.h"

namespace brusk::benchcar {

namespace {
namespace L = layout;
constexpr int kMoving_c = 300;       // 0.01 km/h
constexpr int kWarm_i = 70 + 40;     // learning waits for a warm engine
constexpr uint32_t kSettled = 1000;  // 10 ms since the start
}  // namespace

void Idle::powerUp() {
    integralFine_ = dashpotFine_ = 0;
    proportional_c_ = 0;
}

int Idle::target(const Signals& s) {
    int rpm = m_.look(L::idle.speed, s.coolant_i);
    if (s.vehicle_c > kMoving_c || !s.in.neutral) rpm += m_.get(L::idle.gearRise) * 10;
    if (s.compressor) rpm += m_.get(L::idle.coolingRise) * 10;
    if (s.battery_mV < m_.get(L::idle.batteryVolts) * 100) rpm += m_.get(L::idle.batteryRise) * 10;
    return rpm;
}

void Idle::step(Signals& s) {
    s.idleTarget = target(s);
    const bool foot = s.pedal_c > m_.get(L::idle.pedal);
    s.idling = !foot && s.engine == EngineState::Running && s.rpm < s.idleTarget + m_.get(L::idle.enter);
    int load_c = 0;
    if (s.compressor) load_c += m_.get(L::idle.coolingAir);
    load_c += m_.get(L::idle.fanAir) * s.fans;
    hold(s, s.runTicks > kSettled && s.coolant_i > kWarm_i && load_c == 0 && s.in.neutral);

    // A foot that lifts leaves some of the air, so that the engine does not stumble.
    if (foot)
        dashpotFine_ = int64_t{s.throttleTarget_c} * m_.get(L::idle.dashpot) * 10;
    else
        dashpotFine_ = std::max<int64_t>(0, dashpotFine_ - int64_t{m_.get(L::idle.dashpotDecay)} * 10);
    const int dashpot = foot ? 0 : static_cast<int>(dashpotFine_ / 1000);

    int start_c = 0;
    const int decay = std::max(1, m_.get(L::idle.startDecay) * 10);
    if (s.engine == EngineState::Running && s.runTicks < static_cast<uint32_t>(decay))
        start_c = m_.get(L::idle.startAir) * (decay - static_cast<int>(s.runTicks)) / decay;
    const int base =
        s.engine == EngineState::Running ? m_.look(L::idle.air, s.coolant_i) : m_.look(L::idle.crankAir, s.coolant_i);
    const int learned = static_cast<int>(learnedFine_ / 1000);
    s.idleAir_c = std::clamp(
        base + start_c + load_c + dashpot + learned + static_cast<int>(integralFine_ / 1000) + proportional_c_, 0,
        4000);
    m_.put(L::idleSeen.target, s.idleTarget);
    m_.put(L::idleSeen.integral, integralFine_ / 1000);
    m_.put(L::idleSeen.active, s.idling);
    m_.put(L::idleSeen.pPart, proportional_c_);
    m_.put(L::idleSeen.learned, learned);
    m_.put(L::idleSeen.air, s.idleAir_c);
    m_.put(L::idleSeen.dashpot, dashpot);
    m_.put(L::idleSeen.load, load_c);
}

void Idle::hold(Signals& s, bool settled) {
    proportional_c_ = 0;
    if (!s.idling) return;  // the integral is held while the car drives
    const int error = s.idleTarget - s.rpm;
    const int most = m_.get(L::idle.pLimit);
    proportional_c_ = std::clamp(error * m_.get(L::idle.p) / 100, -most / 2, most);
    // A rolling car turns its engine: what idle would need cannot be learned from it.
    if (!s.in.neutral && s.vehicle_c > kMoving_c) return;
    integralFine_ = std::clamp<int64_t>(integralFine_ + int64_t{error} * m_.get(L::idle.i) / 10,
                                        int64_t{m_.get(L::idle.iLeast)} * 1000, int64_t{m_.get(L::idle.iMost)} * 1000);
    if (!settled) return;
    // What the integral holds for long moves into what is remembered: 0.01 % of it a second.
    const int64_t moved = integralFine_ * m_.get(L::idle.learnRate) / 1000000;
    const int64_t limit = int64_t{m_.get(L::idle.learnLimit)} * 1000;
    const int64_t before = learnedFine_;
    learnedFine_ = std::clamp(learnedFine_ + moved, -limit, limit);
    integralFine_ -= learnedFine_ - before;
}

}  // namespace brusk::benchcar
