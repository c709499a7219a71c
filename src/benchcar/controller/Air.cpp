// Speed-density and airflow meter, and which of them counts now.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "benchcar/controller/Air.h"

namespace brusk::benchcar {

namespace {
namespace L = layout;
constexpr int kMost_ug = 1300000;  // what 0.02 mg in 16 bits can say
constexpr int kWhole = 255 * 256;
enum Model { SpeedDensity, Meter, Both };
enum Source { FromDensity, FromMeter, Mixed, FromThrottle };
}  // namespace

void Air::powerUp() {
    meterFine_ = 0;
    share_ = 0;
    above_ = false;
}

void Air::step(Signals& s) {
    s.cylinders = std::clamp(m_.get(L::air.cylinders), 1, 12);
    s.banks = std::clamp(m_.get(L::air.banks), 1, 2);
    speedDensity(s);
    meter(s);

    // What is chosen, and what is left when a sensor has failed.
    int meterPart = meterShare(s);
    Source source = meterPart == 0 ? FromDensity : meterPart == kWhole ? FromMeter : Mixed;
    if (m_.on(L::air.fallback)) {
        if (s.meterFailed && source != FromDensity) source = FromDensity, meterPart = 0;
        if (s.pressureFailed && source != FromMeter) source = FromMeter, meterPart = kWhole;
        if (s.pressureFailed && (s.meterFailed || s.meter_f == 0)) source = FromThrottle;
    }
    s.changingOver = source == Mixed;
    int64_t air = (int64_t{s.airSpeedDensity_ug} * (kWhole - meterPart) + int64_t{s.airMeter_ug} * meterPart) / kWhole;
    if (source == FromThrottle) air = int64_t{m_.look(L::air.throttleAir, s.rpm, s.throttle_c)} * 20 * s.baro_c / 10130;
    s.air_ug = static_cast<int>(std::clamp<int64_t>(air, 0, kMost_ug));
    s.load_r = s.air_ug / 20;
    // Half a stroke a revolution and cylinder: kg/h = ug rpm cylinders 30 / 1e9, here in 0.02 kg/h and 0.25 rpm.
    s.airflow_f = static_cast<int>(std::min<int64_t>(int64_t{s.air_ug} * s.speed_q * s.cylinders * 3 / 8000000, 65535));

    m_.put(L::airSeen.airPerCylinder, s.load_r);
    m_.put(L::airSeen.airflow, s.airflow_f);
    m_.put(L::airSeen.source, source);
    m_.put(L::airSeen.share, meterPart / 256);
    // Against the swept volume at 25 degC and 100 kPa: 1184 ug/cm3.
    const int64_t swept_ug = int64_t{std::max(1, m_.get(L::air.displacement))} * 1184 / s.cylinders;
    m_.put(L::airSeen.filling, int64_t{s.air_ug} * 10000 / swept_ug);
}

void Air::speedDensity(Signals& s) {
    // Slow air warms up on its way: the charge's temperature lies between intake and coolant.
    const int share = m_.look(L::air.chargeBlend, s.airflow_f / 5);
    s.charge_dK = 2732 + s.intake_d + (s.coolant_d - s.intake_d) * share / 256;
    // Thin air lets the exhaust out more easily; the curve is asked with whole kilopascals.
    const int thin = m_.look(L::air.veBaro, s.baro_c / 100);
    ve_c_ = static_cast<int>(int64_t{m_.look(L::air.veMap, s.rpm, s.pressure_c)} * thin / 128);
    // m = VE p V / (cylinders R T); ve 1e-4, p 10 Pa, V cm3, T 0.1 K, R 287.05 J/(kg K), result in micrograms.
    const int64_t air = int64_t{ve_c_} * s.pressure_c * m_.get(L::air.displacement) / (28705 * s.cylinders) * 1000 /
                        std::max(s.charge_dK, 2000);
    s.airSpeedDensity_ug = static_cast<int>(std::min<int64_t>(air, kMost_ug));
    m_.put(L::airSeen.chargeTemp, s.charge_dK - 2732);
    m_.put(L::airSeen.veUsed, ve_c_);
    m_.put(L::airSeen.speedDensity, s.airSpeedDensity_ug / 20);
}

void Air::meter(Signals& s) {
    const int factor = m_.look(L::air.meterCorrection, s.rpm, s.throttle_c);
    // 0.02 kg/h back into micrograms a stroke.
    const int64_t flow = int64_t{s.meter_f} * factor / 128;
    const int64_t air = s.speed_q > 800 ? flow * 8000000 / (int64_t{s.speed_q} * s.cylinders * 3) : 0;
    // What passes the meter fills the manifold first: the cylinders see it a moment later.
    meterFine_ += (air * 256 - meterFine_) * (m_.look(L::air.meterFill, s.rpm) + 1) / 256;
    s.airMeter_ug = static_cast<int>(std::min<int64_t>(meterFine_ / 256, kMost_ug));
    m_.put(L::airSeen.meter, s.airMeter_ug / 20);
}

int Air::meterShare(const Signals& s) {
    const int model = m_.get(L::air.model);
    above_ = s.rpm > m_.get(above_ ? L::air.changeoverOff : L::air.changeoverOn);
    const bool wanted = model == Meter || (model == Both && above_);
    const int step = kWhole / std::max(1, m_.get(L::air.changeoverTime));
    if (model != Both)
        share_ = wanted ? kWhole : 0;
    else
        share_ = std::clamp(share_ + (wanted ? step : -step), 0, kWhole);
    return share_;
}

}  // namespace brusk::benchcar
