// Pedal to torque to air to throttle, and back for what the engine gives.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "benchcar/controller/Torque.h"

namespace brusk::benchcar {

namespace {
namespace L = layout;
}

int Torque::step(Signals& s, int most_c) {
    const int asked = m_.look(L::torque.pedalMap, s.pedal_c, s.vehicle_c);
    const int ceiling = m_.look(L::torque.ceiling, s.rpm) * m_.look(L::torque.gear, std::max(1, s.gear)) / 128;
    // Rise and fall in Nm a second: a tenth of that in 0.1 Nm each 10 ms.
    const int target = std::min(asked, ceiling);
    request_d_ += std::clamp(target - request_d_, -std::max(1, m_.get(L::torque.fall) / 10),
                             std::max(1, m_.get(L::torque.rise) / 10));
    s.torqueRequest_d = request_d_;

    const int loss = m_.look(L::torque.loss, s.rpm) + m_.look(L::torque.lossCold, s.coolant_i);
    const int indicated = std::max(0, request_d_ + loss);
    const int air_r = request_d_ + loss > 0 ? m_.look(L::torque.airForTorque, s.rpm, indicated) : 0;
    // The opening's map is made for 101.3 kPa: thin air needs more of it.
    const int opening = m_.look(L::torque.throttleForAir, s.rpm,
                                static_cast<int>(std::min<int64_t>(int64_t{air_r} * 10130 / s.baro_c, 65535)));
    const bool running = s.engine == EngineState::Running;
    const int out = std::clamp(std::max(running && air_r > 0 ? opening : 0, s.idleAir_c), 0, most_c);
    s.throttleTarget_c = out;
    const int delivered = s.fuelCut || !running ? 0 : m_.look(L::torque.torqueForAir, s.rpm, s.load_r);
    m_.put(L::torqueSeen.throttleTarget, out);
    m_.put(L::torqueSeen.request, request_d_);
    m_.put(L::torqueSeen.ceilingNow, ceiling);
    m_.put(L::torqueSeen.actual, running ? delivered - loss : 0);
    m_.put(L::torqueSeen.lossNow, loss);
    m_.put(L::torqueSeen.airWanted, air_r);
    return out;
}

}  // namespace brusk::benchcar
