// Revs, boost and torque: where the engine is held.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "benchcar/controller/Limits.h"

namespace brusk::benchcar {

namespace {
namespace L = layout;
}

void Limits::powerUp() {
    overRev_ = overSpeed_ = false;
    loadTicks_ = 0;
}

int Limits::step(Signals& s) {
    int revs = std::min(m_.get(L::limits.revLimit), m_.look(L::limits.revCold, s.coolant_i));
    if (s.limp) revs = std::min(revs, m_.get(L::limits.limpRevs));
    overRev_ = s.rpm > revs || (overRev_ && s.rpm > revs - m_.get(L::limits.revReturn));
    const int speed = m_.get(L::limits.speedLimit);
    overSpeed_ = s.vehicle_c > speed || (overSpeed_ && s.vehicle_c > speed - m_.get(L::limits.speedReturn));
    const bool loaded = s.load_r > m_.get(L::limits.loadLimit);
    loadTicks_ = loaded ? loadTicks_ + 1 : 0;
    s.limit = s.boostCut                                 ? CutReason::Boost
              : overRev_                                 ? CutReason::Revs
              : overSpeed_                               ? CutReason::Speed
              : loadTicks_ > m_.get(L::limits.loadDelay) ? CutReason::Load
                                                         : CutReason::None;
    const int most = s.limp ? m_.get(L::limits.limpThrottle) : 10000;
    m_.put(L::limitsSeen.limit, static_cast<int>(s.limit));
    m_.put(L::limitsSeen.revLimitNow, revs);
    m_.put(L::limitsSeen.limp, s.limp);
    m_.put(L::limitsSeen.throttleMost, most);
    return most;
}

void Cooling::powerUp() {
    low_ = high_ = false;
    runOnTicks_ = 0;
    sinceForbidden_ = 1 << 20;
}

bool Cooling::compressorWanted(const Signals& s) {
    const bool forbidden = s.engine != EngineState::Running || s.pedal_c > m_.get(L::cooling.coolingPedal) ||
                           s.rpm < m_.get(L::cooling.coolingSpeed) || s.coolant_i > m_.get(L::cooling.coolingCoolant);
    sinceForbidden_ = forbidden ? 0 : std::min(sinceForbidden_ + 1, 1 << 20);
    return s.in.airConditioning && sinceForbidden_ > m_.get(L::cooling.coolingReturn) * 10;
}

void Cooling::step(Signals& s, bool ignition) {
    s.compressor = ignition && compressorWanted(s);
    const auto between = [&](bool was, const Item& on, const Item& off) {
        return s.coolant_i >= m_.get(on) || (was && s.coolant_i > m_.get(off));
    };
    low_ = between(low_, L::cooling.fanOn, L::cooling.fanOff);
    high_ = between(high_, L::cooling.fanHighOn, L::cooling.fanHighOff);
    bool low = low_ || (s.compressor && m_.on(L::cooling.fanWithCooling));
    bool high = high_;
    // Above some road speed the wind does it alone.
    if (s.vehicle_c > m_.get(L::cooling.fanSpeedCut)) low = high = false;
    if (ignition) {
        runOnTicks_ = s.coolant_i >= m_.get(L::cooling.runOnCoolant) ? m_.get(L::cooling.runOnTime) * 100 : 0;
    } else {
        runOnTicks_ = std::max(0, runOnTicks_ - 1);
        low = runOnTicks_ > 0;
        high = false;
    }
    s.fans = high ? 2 : low ? 1 : 0;
    m_.put(L::limitsSeen.fan, low || high);
    m_.put(L::limitsSeen.fanHigh, high);
    m_.put(L::limitsSeen.compressor, s.compressor);
    m_.put(L::limitsSeen.runOn, ignition ? 0 : runOnTicks_ / 100);
}

}  // namespace brusk::benchcar
