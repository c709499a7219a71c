// Wheel speed from what the exhaust gives and the compressor takes.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "benchcar/plant/Turbo.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "benchcar/plant/Breathing.h"

namespace brusk::benchcar {

double springBoost_kPa(const Turbocharger& t, double duty) {
    return t.spring_kPa / (1 - turbo::kBleed * duty);
}

double dutyForBoost(const Turbocharger& t, double boost_kPa) {
    return boost_kPa <= t.spring_kPa ? 0 : std::min(1.0, (1 - t.spring_kPa / boost_kPa) / turbo::kBleed);
}

void Turbo::step(TrueState& s, double duty, double stuck) {
    if (!build_.engine.turbo) {
        // A filter and a pipe: a few hundred pascal at full flow.
        s.boost_kPa = s.ambient_kPa - 1.6e-4 * s.airflow_gs * s.airflow_gs;
        s.backPressure_kPa = s.ambient_kPa + 2.7 + 9e-4 / narrowing() * s.airflow_gs * s.airflow_gs;
        const double still = std::exp(-s.vehicle_kmh / 22);
        s.intake_C += (s.ambient_C + 9 * still - s.intake_C) * kStep_s / 20;
        return;
    }
    compress(s);
    expand(s, duty, stuck);
}

/// Pressure lost in the pipe falls with the fourth power of its bore at the same flow.
double Turbo::narrowing() const {
    const double area = build_.parts.exhaustBore * build_.parts.exhaustBore;
    return area * area;
}

void Turbo::compress(TrueState& s) {
    const Turbocharger& t = build_.parts.turbo;
    const double ambient_K = s.ambient_C + 273.15;
    const double tip_ms = s.turbo_rads * t.compressorRadius_m;
    const double half = tip_ms * tip_ms / 2;
    const double ratio = std::max(1.0, s.boost_kPa / s.ambient_kPa);
    const double rise = std::pow(ratio, 0.2857) - 1;  // isentropic temperature rise over the inlet's
    // Flow that the wheel gives against this pressure, by its head coefficient.
    const double density = s.ambient_kPa * 1000 / (air::kGasConstant * ambient_K);
    const double inlet_m2 = std::numbers::pi * t.compressorRadius_m * t.compressorRadius_m;
    const double head = half > 1 ? turbo::kAirHeat_JkgK * ambient_K * rise / half : 9;
    const double coefficient = head < turbo::kHead ? std::sqrt((turbo::kHead - head) / turbo::kHeadFall) : 0;
    // At rest the engine draws its air through the standing wheel; an engine that stands lets it back out.
    constexpr double kStands_rpm = 1;
    const double outside = s.ambient_kPa - s.boost_kPa;
    const double drawn = (s.speed_rpm < kStands_rpm ? outside : std::max(0.0, outside)) * 0.035;
    const double wanted = density * inlet_m2 * tip_ms * coefficient + drawn;
    flow_kgs_ += (wanted - flow_kgs_) * kStep_s / turbo::kDuct_s;

    const double phi = tip_ms > 10 ? flow_kgs_ / (density * inlet_m2 * tip_ms) : turbo::kBestFlow;
    const double off = phi - turbo::kBestFlow;
    const double efficiency =
        std::max(turbo::kLeastCompressor, turbo::kBestCompressor - turbo::kCompressorFall * off * off);
    compressorPower_W_ = std::max(0.0, flow_kgs_) * turbo::kAirHeat_JkgK * ambient_K * rise / efficiency;

    // The intercooler's metal takes the heat and gives it to the outside air; standing, it soaks.
    const double hot_C = s.ambient_C + ambient_K * rise / efficiency;
    const double cooled_C = hot_C - build_.parts.intercooler * (hot_C - metal_C_);
    const double given_W = std::max(0.0, flow_kgs_) * turbo::kAirHeat_JkgK * (hot_C - cooled_C);
    const double standing_C = s.ambient_C + 9 * std::exp(-s.vehicle_kmh / 22);
    metal_C_ += kStep_s * (given_W - (25 + turbo::kSoakAir_WK * s.vehicle_kmh / 3.6) * (metal_C_ - standing_C)) /
                turbo::kSoak_JK;
    s.intake_C += (cooled_C - s.intake_C) * kStep_s / 0.8;

    const double gain = air::kGasConstant * (s.intake_C + 273.15) / turbo::kPipe_m3 / 1000;
    s.boost_kPa =
        std::max(20.0, s.boost_kPa + kStep_s * gain * (flow_kgs_ - (s.throttleFlow_gs + s.boostLeak_gs) / 1000));
}

void Turbo::expand(TrueState& s, double duty, double stuck) {
    const Turbocharger& t = build_.parts.turbo;
    // Diaphragm against spring; duty bleeds a share of the signal away.
    const double signal = (s.boost_kPa - s.ambient_kPa) * (1 - turbo::kBleed * duty);
    const double wanted = stuck >= 0 ? stuck : std::clamp((signal - t.spring_kPa) / turbo::kGateRange_kPa, 0.0, 1.0);
    s.wastegate += (wanted - s.wastegate) * kStep_s / turbo::kGateLag_s;

    const double gas_kgs = (s.airflow_gs + s.fuelFlow_gs) / 1000;
    const double behind_kPa = s.ambient_kPa + 2.7 + 1.1 / narrowing() * gas_kgs * gas_kgs * 1000;
    const double hot_K = s.exhaust_C + 273.15;
    const double ratio = std::max(1.0, s.backPressure_kPa / behind_kPa);
    const double perArea = 0.66 * s.backPressure_kPa * 1000 / std::sqrt(turbo::kGasConstant * hot_K) *
                           flowFunction(1 / ratio);  // kg/(s m2)
    const double turbine_kgs = t.turbineArea_m2 * perArea;
    const double gate_kgs = turbo::kGateArea_m2 * s.wastegate * perArea;
    const double power_W = turbine_kgs * turbo::kGasHeat_JkgK * hot_K * turbo::kTurbine * (1 - std::pow(ratio, -0.25));
    const double gain = turbo::kGasConstant * hot_K / turbo::kExhaust_m3 / 1000;
    s.backPressure_kPa = std::max(behind_kPa, s.backPressure_kPa + kStep_s * gain * (gas_kgs - turbine_kgs - gate_kgs));
    const double speed = std::max(s.turbo_rads, 300.0);
    const double torque = (power_W - compressorPower_W_) / speed - turbo::kBearing_Nms * s.turbo_rads;
    s.turbo_rads = std::clamp(s.turbo_rads + kStep_s * torque / t.inertia_kgm2, 0.0, 24000.0);
}

}  // namespace brusk::benchcar
