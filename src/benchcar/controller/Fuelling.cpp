// Air times target, wall film, trims and dead time become pulses.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "benchcar/controller/Fuelling.h"

namespace brusk::benchcar {

namespace {
namespace L = layout;
constexpr int kLongestPulse_us = 60000;
constexpr int kFullManifold_c = 6500;  // 0.01 kPa
constexpr int kWasRunning = 200;       // 10 ms: no overrun cut in the first two seconds
}  // namespace

void Fuelling::powerUp() {
    fullLoadTicks_ = overrunTicks_ = 0;
    fullLoadFine_ = exhaustFine_ = film_ng_ = 0;
    wasCut_ = false;
    lastFuel_ug_ = 0;
}

void Fuelling::ask(Signals& s) {
    const int target_128 = std::max(64, m_.look(L::fuel.lambdaMap, s.rpm, s.pressure_c));
    int lambda_4 = target_128 * 10000 / 128;
    lambda_4 = fullLoad(s, lambda_4);
    lambda_4 = protection(s, lambda_4) + s.lambdaStep_4;
    const int enrich_c = coldPart(s);
    s.lambda_4 = static_cast<int>(int64_t{lambda_4} * 10000 / (10000 + enrich_c));
    m_.put(L::fuelSeen.lambdaAsked, s.lambda_4);
}

/// What a cold engine needs besides, 0.01 %.
int Fuelling::coldPart(const Signals& s) {
    const int warm_c = m_.look(L::fuel.warmUp, s.coolant_i) * 50 * m_.look(L::fuel.warmUpLoad, s.load_r) / 128;
    const int decay = std::max(1, m_.get(L::fuel.afterStartDecay) * 10);
    int after_c = 0;
    if (s.runTicks < static_cast<uint32_t>(decay))
        after_c = m_.look(L::fuel.afterStart, s.coolant_i) * 50 * (decay - static_cast<int>(s.runTicks)) / decay;
    int return_c = 0;
    const int fade = std::max(1, m_.get(L::fuel.cutReturnDecay));
    if (s.sinceCut > 0 && s.sinceCut < static_cast<uint32_t>(fade))
        return_c = m_.get(L::fuel.cutReturn) * 50 * (fade - static_cast<int>(s.sinceCut)) / fade;
    m_.put(L::fuelSeen.warmUpNow, warm_c);
    m_.put(L::fuelSeen.afterStartNow, after_c);
    m_.put(L::fuelSeen.cutReturnNow, return_c);
    return warm_c + after_c + return_c;
}

/// Full-load enrichment: conditions on pedal, pressure and speed, then a wait, then a ramp to its own target.
int Fuelling::fullLoad(Signals& s, int lambda_4) {
    const bool pressed = s.pedal_c > m_.get(s.fullLoad ? L::fuel.fullLoadReturn : L::fuel.fullLoadPedal);
    const bool met = m_.on(L::fuel.fullLoadOn) && pressed && s.pressure_c > m_.get(L::fuel.fullLoadPressure) &&
                     s.rpm > m_.get(L::fuel.fullLoadSpeed);
    fullLoadTicks_ = met ? fullLoadTicks_ + 1 : 0;
    s.fullLoad = met && fullLoadTicks_ > static_cast<uint32_t>(m_.get(L::fuel.fullLoadDelay));
    const int target_4 = m_.look(L::fuel.fullLoadLambda, s.rpm) * 10000 / 128;
    const int64_t most = int64_t{std::max(0, lambda_4 - target_4)} * 1000;
    // The ramp is in 0.001 lambda a second: 0.0001 lambda times a hundred each step of ten milliseconds.
    const int64_t step = int64_t{m_.get(L::fuel.fullLoadRamp)} * 100;
    fullLoadFine_ = std::clamp<int64_t>(fullLoadFine_ + (s.fullLoad ? step : -4 * step), 0, most);
    m_.put(L::fuelSeen.fullLoadState, s.fullLoad ? 2 : met ? 1 : 0);
    m_.put(L::fuelSeen.fullLoadTimer, std::min<uint32_t>(fullLoadTicks_, 65535));
    return lambda_4 - static_cast<int>(fullLoadFine_ / 1000);
}

/// Richer when the exhaust is modelled hotter than its parts bear.
int Fuelling::protection(const Signals& s, int lambda_4) {
    const int steady =
        s.fuelCut || s.engine != EngineState::Running ? 150 : m_.look(L::fuel.exhaustModel, s.rpm, s.load_r);
    const int ticks = std::max(1, m_.get(L::fuel.exhaustTime) * 10);
    exhaustFine_ += (int64_t{steady} * 1000 - exhaustFine_) / ticks;
    const int modelled = static_cast<int>(exhaustFine_ / 1000);
    const int over = std::max(0, modelled - m_.get(L::fuel.protectTemp));
    // Gain: 0.001 lambda for every hundred degrees too many.
    const int wanted_4 = over * m_.get(L::fuel.protectGain) / 10;
    const int least_4 = m_.get(L::fuel.protectLeast) * 10000 / 128;
    const int out = std::min(lambda_4, std::max(lambda_4 - wanted_4, least_4));
    m_.put(L::fuelSeen.exhaustTemp, modelled);
    m_.put(L::fuelSeen.protectNow, lambda_4 - out);
    return out;
}

CutReason Fuelling::cut(Signals& s) {
    const int cold = m_.look(L::fuel.cutCold, s.coolant_i);
    const bool foot = s.pedal_c < m_.get(L::fuel.cutPedal);
    const bool fast = s.rpm > m_.get(s.overrun ? L::fuel.cutEnds : L::fuel.cutBegins) + cold;
    overrunTicks_ = foot && fast && s.runTicks > kWasRunning ? overrunTicks_ + 1 : 0;
    s.overrun = overrunTicks_ > 0 && (s.overrun || overrunTicks_ > static_cast<uint32_t>(m_.get(L::fuel.cutDelay)));
    if (s.engine == EngineState::Cranking && s.pedal_c > m_.get(L::fuel.floodPedal)) return CutReason::Flood;
    return s.overrun ? CutReason::Overrun : CutReason::None;
}

int64_t Fuelling::crankFuel_ug(const Signals& s) const {
    // Revolutions since the starter began: 260 rpm are about 4.3 a second.
    const int turned_d = static_cast<int>(s.crankTicks) * 4 / 10;
    const int64_t full_ug =
        int64_t{m_.look(L::fuel.crankFuel, s.coolant_i)} * 10 * m_.look(L::fuel.crankFade, turned_d) / 128;
    // The masses are for the full manifold of a standing engine; one that has just stalled is still empty and gets
    // less.
    return full_ug * std::clamp(s.pressure_c, 2000, kFullManifold_c) / kFullManifold_c;
}

/// What must be injected so that `wanted_ug` reaches the cylinder: a share lands on the wall, the film gives some back.
int64_t Fuelling::film(const Signals& s, int64_t wanted_ug) {
    const int64_t share_k = int64_t{m_.look(L::fuel.filmShare, s.coolant_i)} * 5 *
                            m_.look(L::fuel.filmPressure, s.pressure_c) / 128;  // 0.1 %
    const int64_t time_ms = std::max(20, m_.look(L::fuel.filmTime, s.coolant_i));
    // The film a stroke leaves behind: mass over time constant times the stroke's duration (120 s / rpm).
    const int64_t stroke_us = s.rpm > 60 ? 120000000 / s.rpm : 2000000;
    const int64_t leaving_ug = std::min<int64_t>(film_ng_ / 1000, film_ng_ / 1000 * stroke_us / (time_ms * 1000));
    const int64_t keep = std::max<int64_t>(200, 1000 - share_k);
    const int64_t out =
        m_.on(L::fuel.filmOn) ? std::max<int64_t>(0, (wanted_ug - leaving_ug) * 1000 / keep) : wanted_ug;
    // Ten milliseconds of film balance, in nanograms of one cylinder.
    film_ng_ += (out * share_k - leaving_ug * 1000) * 10000 / stroke_us;
    film_ng_ = std::clamp<int64_t>(film_ng_, 0, 400000000);
    m_.put(L::fuelSeen.filmMass, film_ng_ / 1000000);
    m_.put(L::fuelSeen.filmPart,
           wanted_ug > 0 ? std::clamp<int64_t>((out - wanted_ug) * 1000 / wanted_ug, -999, 999) : 0);
    return out;
}

int Fuelling::pulse(int64_t fuel_ug, int dead_us, const Signals& s) const {
    // Flow 0.1 cm3/min, density 0.0001 g/cm3.
    const int64_t rate = std::max<int64_t>(1, int64_t{m_.get(L::fuel.injectorFlow)} * m_.get(L::fuel.density));
    int64_t open = fuel_ug * 6000000 / rate;
    open = std::max<int64_t>(open, m_.get(L::fuel.minPulse));
    open += m_.look(L::fuel.smallPulse, static_cast<int>(std::min<int64_t>(open, 65535)));
    int64_t out = open + dead_us;
    // No longer than a share of the cycle: 120 s / rpm.
    if (s.rpm > 400) out = std::min<int64_t>(out, int64_t{120000000} / s.rpm * m_.get(L::fuel.dutyLimit) / 100);
    return static_cast<int>(std::min<int64_t>(out, kLongestPulse_us));
}

std::array<int, 2> Fuelling::pulses(Signals& s) {
    CutReason reason = cut(s);
    if (s.limit != CutReason::None && reason != CutReason::Flood) reason = s.limit;
    const bool stopped = s.engine == EngineState::Stopped;
    s.fuelCut = reason != CutReason::None;
    s.sinceCut = s.fuelCut || stopped ? 0 : wasCut_ ? 1 : s.sinceCut + (s.sinceCut > 0);
    wasCut_ = s.fuelCut;

    const int dead_us = m_.look(L::fuel.deadTime, s.battery_mV / 100);
    // Fuel in micrograms: air over stoichiometric ratio (0.001) and lambda (0.0001).
    int64_t fuel_ug = int64_t{s.air_ug} * 10000000 / std::max(1, m_.get(L::fuel.stoich)) / std::max(1, s.lambda_4);
    if (s.engine == EngineState::Cranking) fuel_ug = crankFuel_ug(s);
    const bool off = s.fuelCut || stopped;
    const int64_t injected_ug = film(s, off ? 0 : fuel_ug);
    std::array<int, 2> out{};
    for (size_t bank = 0; bank < 2; ++bank) {
        int64_t mass = injected_ug * (10000 + s.short_c[bank]) / 10000 * (10000 + s.long_c[bank]) / 10000;
        mass = mass * (1000 + m_.element(L::fuel.bankTrim, static_cast<int>(bank))) / 1000;
        out[bank] = off ? 0 : pulse(mass, dead_us, s);
    }
    lastFuel_ug_ = off ? 0 : static_cast<int>(injected_ug);
    m_.put(L::fuelSeen.pulse, out[0]);
    m_.put(L::fuelSeen.pulse2, s.banks > 1 ? out[1] : 0);
    m_.put(L::fuelSeen.deadTimeUsed, dead_us);
    // One injection in 720 degrees: duty = pulse rpm / 120 s.
    m_.put(L::fuelSeen.injectorDuty, std::min<int64_t>(int64_t{out[0]} * s.speed_q / 48000, 10000));
    m_.put(L::fuelSeen.fuelMass, lastFuel_ug_);
    m_.put(L::fuelSeen.fuelCut, static_cast<int>(reason));
    // 0.01 l/h: micrograms a stroke, strokes an hour, over the density (0.0001 g/cm3).
    const int64_t perHour_ug = int64_t{lastFuel_ug_} * s.rpm * 30 * s.cylinders;
    m_.put(L::fuelSeen.fuelRate, perHour_ug / 1000 / std::max(1, m_.get(L::fuel.density)));
    return out;
}

}  // namespace brusk::benchcar
