// Target, base duty and a regulator that holds its integral in its window.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "benchcar/controller/Boost.h"

namespace brusk::benchcar {

namespace {
namespace L = layout;
enum State { Off, Held, Spooling };
}  // namespace

void Boost::powerUp() {
    integralFine_ = slowFine_ = 0;
    cutTicks_ = 0;
}

/// Absolute pressure wanted, 0.01 kPa. Gear and heat scale what lies above the weather; altitude sets a ceiling.
int Boost::target(const Signals& s) {
    const int asked = m_.look(L::boost.target, s.rpm, s.pedal_c);
    int gauge = std::max(0, asked - 10130);
    gauge = gauge * m_.look(L::boost.gear, std::max(1, s.gear)) / 128;
    gauge = gauge * m_.look(L::boost.charge, s.intake_i) / 128;
    const int ceiling = m_.look(L::boost.altitude, s.baro_c / 100);
    m_.put(L::boostSeen.ceiling, ceiling);
    return std::min(10130 + gauge, ceiling);
}

/// Too much boost for too long cuts the fuel until it has fallen again.
void Boost::watch(Signals& s) {
    const int limit = m_.get(L::boost.cut);
    cutTicks_ = s.pressure_c > limit ? cutTicks_ + 1 : 0;
    if (cutTicks_ > m_.get(L::boost.cutDelay)) s.boostCut = true;
    if (s.pressure_c < limit - m_.get(L::boost.cutReturn)) s.boostCut = false;
    m_.put(L::boostSeen.cutNow, s.boostCut);
}

int Boost::step(Signals& s) {
    watch(s);
    s.boostTarget_c = target(s);
    s.boostActive = m_.on(L::boost.on) && s.engine == EngineState::Running && s.pedal_c > m_.get(L::boost.pedal) &&
                    !s.boostCut && !s.limp && !s.pressureFailed;
    int64_t duty_c = 0;
    int64_t p_c = 0;
    // How fast the pressure rises: what lies between it and its filtered self, over the filter's 80 ms.
    slowFine_ += (int64_t{s.pressure_c} * 1024 - slowFine_) / 8;
    const int64_t rise_cs = (s.pressure_c - slowFine_ / 1024) * 100 / 8;  // 0.01 kPa a second
    int64_t d_c = 0;
    int base = 0;
    State state = Off;
    const int error = s.boostTarget_c - s.pressure_c;
    if (!s.boostActive) {
        integralFine_ = 0;
    } else {
        base = m_.look(L::boost.duty, s.rpm, s.boostTarget_c);
        p_c = int64_t{error} * m_.get(L::boost.p) / 100;  // 0.01 % a kilopascal, error in 0.01 kPa
        d_c = -std::clamp<int64_t>(rise_cs * m_.get(L::boost.d) / 100, -3000, 3000);
        const int64_t most = int64_t{m_.get(L::boost.iMost)} * 50 * 1000;
        // The integral works only near the target, so that the wait for the turbine does not wind it up.
        if (std::abs(error) < m_.get(L::boost.iWindow))
            integralFine_ = std::clamp(integralFine_ + int64_t{error} * m_.get(L::boost.i) / 10, -most, most);
        state = error > m_.get(L::boost.spool) ? Spooling : Held;
        const int64_t highest = int64_t{m_.get(L::boost.dutyMost)} * 50;
        duty_c = state == Spooling
                     ? highest
                     : std::clamp<int64_t>(base * 50 + p_c + d_c + integralFine_ / 1000 + s.dutyStep_c, 0, highest);
    }
    const int duty = static_cast<int>(duty_c / 50);
    m_.put(L::boostSeen.duty, duty);
    m_.put(L::boostSeen.target, s.boostTarget_c);
    m_.put(L::boostSeen.error, error);
    m_.put(L::boostSeen.base, base);
    m_.put(L::boostSeen.pPart, p_c);
    m_.put(L::boostSeen.dPart, d_c);
    m_.put(L::boostSeen.iPart, integralFine_ / 1000);
    m_.put(L::boostSeen.state, state);
    return duty;
}

}  // namespace brusk::benchcar
