// Throttle, manifold and valves: how much air a cycle takes.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "benchcar/plant/Breathing.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

namespace brusk::benchcar {

double volumetricEfficiency(const Build& build, double rpm, double pressure_kPa, double ambient_kPa) {
    const Engine& engine = build.engine;
    const double exhaust_kPa = ambient_kPa + 2.7 + 14 * (rpm / 6000) * (rpm / 6000);
    const double filling =
        (engine.compression - std::pow(exhaust_kPa / std::max(pressure_kPa, 12.0), 1 / air::kPolytropic)) /
        (engine.compression - 1);
    const double tuned = (rpm - engine.tunedAt_rpm) / 1900;
    double ve = (0.775 + 0.125 * std::exp(-tuned * tuned) - 0.018 * (rpm / 6500) * (rpm / 6500)) * filling;
    if (const double overlap = build.parts.cams.moreOverlap(), duration = build.parts.cams.moreDuration();
        overlap != 0 || duration != 0) {
        const double slow = std::exp(-std::pow((rpm - 700) / 1500, 2));
        const double empty = std::clamp((115 - pressure_kPa) / 75, 0.0, 1.0);
        const double fast = std::exp(-std::pow((rpm - 4600) / 1500, 2));
        ve *= 1 - overlap * 0.17 * slow * empty - overlap * 0.05 * empty + duration * 0.085 * fast;
    }
    return ve * (1 + build.drawn.fillingAt(rpm, pressure_kPa));
}

double chargeBlend(double airflow_kgh) {
    return 0.12 + 0.36 * std::exp(-airflow_kgh / 60);
}

double chargeTemperature_K(double intake_C, double coolant_C, double airflow_gs) {
    return 273.15 + intake_C + (coolant_C - intake_C) * chargeBlend(airflow_gs * 3.6);
}

namespace {

constexpr double kChokedRatio = 0.528;  // (2 / 2.4)^3.5
constexpr double kLinearFrom = 0.92;
constexpr size_t kFlowPoints = 1024;

double flowFunctionExact(double ratio) {
    return std::sqrt(std::max(0.0, (std::pow(ratio, 1.4286) - std::pow(ratio, 1.7143)) / 0.06702));
}

/// The curve between choking and the linear end, kept as a table: two powers a millisecond are saved.
const std::array<double, kFlowPoints + 1>& flowTable() {
    static const auto table = [] {
        std::array<double, kFlowPoints + 1> out{};
        for (size_t i = 0; i <= kFlowPoints; ++i)
            out[i] = std::min(1.0, flowFunctionExact(kChokedRatio + (kLinearFrom - kChokedRatio) *
                                                                        static_cast<double>(i) / kFlowPoints));
        return out;
    }();
    return table;
}

}  // namespace

double flowFunction(double ratio) {
    if (ratio <= kChokedRatio) return 1;
    const auto& table = flowTable();
    if (ratio >= kLinearFrom) return table.back() * std::max(0.0, 1 - ratio) / (1 - kLinearFrom);
    const double at = (ratio - kChokedRatio) / (kLinearFrom - kChokedRatio) * kFlowPoints;
    const auto i = static_cast<size_t>(at);
    const double share = at - static_cast<double>(i);
    return table[i] + (table[std::min(i + 1, kFlowPoints)] - table[i]) * share;
}

double throttleArea_m2(const Engine& engine, double opening) {
    const double angle = (air::kClosedShare + (1 - air::kClosedShare) * opening) * std::numbers::pi / 2;
    return std::numbers::pi / 4 * engine.throttleBore_m * engine.throttleBore_m * (1 - std::cos(angle)) *
               air::kDischarge +
           air::kLeak_m2;
}

double throttleOpening(const Engine& engine, double area_m2) {
    const double full = std::numbers::pi / 4 * engine.throttleBore_m * engine.throttleBore_m * air::kDischarge;
    const double cosine = std::clamp(1 - (area_m2 - air::kLeak_m2) / full, 0.0, 1.0);
    const double share = std::acos(cosine) / (std::numbers::pi / 2);
    return std::clamp((share - air::kClosedShare) / (1 - air::kClosedShare), 0.0, 1.0);
}

double throttleFlow_kgs(const Engine& engine, double opening, double upstream_kPa, double pressure_kPa,
                        double upstream_C) {
    if (pressure_kPa >= upstream_kPa) return 0;
    const double choked = 0.6847 * throttleArea_m2(engine, opening) * upstream_kPa * 1000 /
                          std::sqrt(air::kGasConstant * (upstream_C + 273.15));
    return choked * flowFunction(pressure_kPa / upstream_kPa);
}

double cylinderAir_g(const Engine& engine, double ve, double pressure_kPa, double chargeTemp_K) {
    return ve * pressure_kPa * 1e6 * engine.displacement_m3 / engine.cylinders / (air::kGasConstant * chargeTemp_K);
}

namespace {

/// Share of the choked flow from a pressure into another; negative where it goes the other way.
double through(double from_kPa, double into_kPa) {
    return from_kPa >= into_kPa ? flowFunction(into_kPa / from_kPa)
                                : -into_kPa / from_kPa * flowFunction(from_kPa / into_kPa);
}

}  // namespace

/// What gets into the manifold and out of the pipe by ways that nobody meters.
void Breathing::leak(TrueState& s, double purge, const Faults& faults) const {
    const double vacuum = through(s.ambient_kPa, s.pressure_kPa);
    s.intakeLeak_gs = faults.intakeLeak_gs * vacuum;
    // A leak's size is told at 100 kPa of boost, where it is choked.
    constexpr double kTold = 201.3 / 101.3;
    s.boostLeak_gs = faults.boostLeak_gs * std::max(0.0, -through(s.ambient_kPa, s.boost_kPa)) / kTold;
    // The canister of a car without fault is dry and shut.
    const bool open = faults.purgeValve > 0 || faults.canisterFull_gs > 0;
    const double valve = open ? std::max(purge, faults.purgeValve) * std::max(0.0, vacuum) : 0;
    s.purgeAir_gs = air::kPurge_gs * valve;
    s.purgeFuel_gs = (faults.canisterFull_gs > 0 ? faults.canisterFull_gs : air::kVapour_gs) * valve;
}

void Breathing::step(TrueState& s, double wantedThrottle, double purge, const Faults& faults) {
    const Engine& engine = build_.engine;
    s.throttle += (std::min(wantedThrottle, faults.throttleCeiling) - s.throttle) * kStep_s / air::kThrottleLag_s;
    const double p = s.pressure_kPa;
    const double in_kgs = throttleFlow_kgs(engine, s.throttle, s.boost_kPa, p, s.intake_C);
    leak(s, purge, faults);
    const double besides_kgs = (s.intakeLeak_gs + s.purgeAir_gs) / 1000;

    s.chargeTemp_K = chargeTemperature_K(s.intake_C, s.coolant_C, s.airflow_gs);
    if (s.tick % 2 == 0) ve_ = volumetricEfficiency(build_, std::max(s.speed_rpm, 150.0), p, s.ambient_kPa);
    const double swept_m3s = engine.displacement_m3 * s.speed_rpm / 120;
    const double out_kgs = ve_ * p * 1000 * swept_m3s / (air::kGasConstant * s.chargeTemp_K);
    // dp/dt = R T / V (in - out), the outflow taken at the new pressure so that a full throttle stays stable.
    const double gain = air::kGasConstant * s.chargeTemp_K / engine.manifold_m3 / 1000;
    const double rate = gain * out_kgs / std::max(p, 5.0);
    s.pressure_kPa = (p + kStep_s * gain * (in_kgs + besides_kgs)) / (1 + kStep_s * rate);
    s.pressure_kPa =
        std::clamp(s.pressure_kPa, 8.0, std::max({s.boost_kPa, s.intakeLeak_gs > 0 ? s.ambient_kPa : 0, 8.0}));
    s.throttleFlow_gs = in_kgs * 1000;
    s.meterFlow_gs = (s.throttleFlow_gs + s.boostLeak_gs) * (1 - faults.ductLeak);
    s.airflow_gs = out_kgs * 1000;
    s.airPerStroke_g = s.speed_rpm > 60 ? cylinderAir_g(engine, ve_, s.pressure_kPa, s.chargeTemp_K) : 0;
    const double skew = engine.banks > 1 ? engine.bankSkew : 0;
    s.banks[0].airPerStroke_g = s.airPerStroke_g * (1 - skew / 2);
    s.banks[1].airPerStroke_g = s.airPerStroke_g * (1 + skew / 2);
}

}  // namespace brusk::benchcar
