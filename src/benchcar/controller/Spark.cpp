// Base by octane, parts by coolant and air, retard by what was heard.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "benchcar/controller/Spark.h"

namespace brusk::benchcar {

namespace {
namespace L = layout;
constexpr int64_t kFactorFine = 10000;
}  // namespace

void Spark::powerUp() {
    // What the fuel was found to bear is kept while the battery is on; one that has learned nothing starts anew.
    if (factorFine_ < 0) forget();
    retardFine_ = 0;
    events_ = 0;
    last_d_ = 0;
}

void Spark::forget() {
    factorFine_ = int64_t{m_.get(L::spark.octaneStart)} * kFactorFine;
}

void Spark::watchKnock(Signals& s) {
    const int threshold = m_.look(L::spark.knockThreshold, s.rpm);
    const bool listening = m_.on(L::spark.knockOn) && !s.knockFailed && s.engine == EngineState::Running &&
                           s.load_r > m_.get(L::spark.knockLoad) && s.rpm > m_.get(L::spark.knockSpeed) &&
                           s.coolant_i >= m_.get(L::spark.knockCoolant) && !s.fuelCut;
    const int64_t most = int64_t{m_.get(L::spark.knockLimit)} * 1000;
    const bool heard = listening && s.in.knock_mV > threshold;
    const bool learning = s.load_r > m_.get(L::spark.octaneLoad) && s.engine == EngineState::Running;
    if (heard) {
        ++events_;
        retardFine_ += int64_t{m_.get(L::spark.knockStep)} * 1000;
        if (learning) factorFine_ -= int64_t{m_.get(L::spark.octaneDown)} * kFactorFine;
    } else {
        retardFine_ -= int64_t{m_.get(L::spark.knockDecay)};  // 0.01 deg/s: a thousandth of a tenth each 10 ms
        // 0.01 % a second of the whole factor.
        if (learning && retardFine_ <= 0)
            factorFine_ += int64_t{m_.get(L::spark.octaneUp)} * 255 * kFactorFine / 10000 / 100;
    }
    retardFine_ = std::clamp<int64_t>(retardFine_, 0, most);
    factorFine_ = std::clamp<int64_t>(factorFine_, 0, 255 * kFactorFine);
    // A deaf engine is driven as if it knocked.
    s.knockRetard_d = s.knockFailed && m_.on(L::spark.knockOn) ? m_.get(L::spark.knockFallback)
                                                               : static_cast<int>(retardFine_ / 1000);
    m_.put(L::sparkSeen.threshold, threshold);
    m_.put(L::sparkSeen.events, events_ & 0xFFFF);
    m_.put(L::sparkSeen.active, listening);
    m_.put(L::sparkSeen.retard, s.knockRetard_d);
    m_.put(L::sparkSeen.factor, factorFine_ / kFactorFine);
}

int Spark::step(Signals& s) {
    watchKnock(s);
    const int base = m_.look(L::spark.base, s.rpm, s.load_r);
    const int factor = static_cast<int>(factorFine_ / kFactorFine);
    const int octane = m_.look(L::spark.octane, s.rpm, s.load_r) * factor / 255;
    const int charge = m_.look(L::spark.charge, s.intake_i) * m_.look(L::spark.chargeLoad, s.load_r) / 128;
    const int coolant = m_.look(L::spark.coolant, s.coolant_i);
    const int lambda = m_.look(L::spark.lambda, s.lambda_4 * 128 / 10000);
    const int idleMost = m_.get(L::spark.idleLimit);
    // Quicker than air: more advance below the target speed, less above.
    const int idle =
        s.idling ? std::clamp((s.idleTarget - s.rpm) * m_.get(L::spark.idleGain) / 1000, -idleMost, idleMost) : 0;
    int wanted =
        s.idling ? m_.get(L::spark.idle) + idle + coolant : base + octane + charge + coolant + lambda - s.knockRetard_d;
    if (s.engine != EngineState::Running) wanted = m_.get(L::spark.crank);
    wanted = std::clamp(wanted, m_.get(L::spark.least), std::max(m_.get(L::spark.least), m_.get(L::spark.most)));
    // Advance is given back slowly, so that torque does not jerk; retard comes at once.
    const int most = m_.get(L::spark.rate);
    last_d_ = s.engine == EngineState::Running && !s.idling ? std::min(wanted, last_d_ + most) : wanted;
    s.spark_d = last_d_;
    m_.put(L::sparkSeen.spark, last_d_);
    m_.put(L::sparkSeen.base, base);
    m_.put(L::sparkSeen.octane, octane);
    m_.put(L::sparkSeen.charge, charge);
    m_.put(L::sparkSeen.coolant, coolant);
    m_.put(L::sparkSeen.lambda, lambda);
    m_.put(L::sparkSeen.idle, idle);
    return last_d_;
}

int Spark::dwell_us(const Signals& s) {
    const int dwell = m_.look(L::spark.dwell, s.battery_mV / 100);
    m_.put(L::sparkSeen.dwell, dwell);
    return dwell;
}

}  // namespace brusk::benchcar
