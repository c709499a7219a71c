// SPDX-License-Identifier: GPL-3.0-or-later
#include "benchcar/plant/Combustion.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "benchcar/plant/FuelSystem.h"
#include "benchcar/plant/Turbo.h"

namespace brusk::benchcar {

namespace {

/// Of the cycle, against that of the reference compression.
double compressionGain(double compression) {
    static const double reference = 1 - std::pow(burn::kReferenceCompression, -burn::kCycleExponent);
    return (1 - std::pow(compression, -burn::kCycleExponent)) / reference;
}

/// Torque falls to both sides of lambda 0.93 (Heywood, section 15.4).
double lambdaEfficiency(double lambda) {
    if (lambda < 1) {
        const double rich = 0.93 - std::min(lambda, 0.93);
        return std::max(0.3, 1 - 5.6 * rich * rich);
    }
    return std::max(0.0, 1 - 1.1 * (lambda - 1));
}

double heatSetFree(double lambda) {
    return lambda < 1 ? 1 - burn::kRichHeatLoss * (1 - lambda) : 1;
}

/// Of the heat, into walls and coolant.
double coolantShare(double rpm) {
    return burn::kCoolantShare + burn::kCoolantSlow * std::exp(-rpm / 1800);
}

}  // namespace

double filling(const Engine& engine, double air_mg) {
    return air_mg / (engine.displacement_m3 / engine.cylinders * 1e6 * burn::kReferenceFill_mgcm3);
}

double bestSpark_deg(const Engine& engine, double rpm, double air_mg) {
    const double fill = filling(engine, air_mg);
    const double slow = 12 * std::max(0.0, 0.3 - fill);  // thin, residual-laden charge burns slowly
    return std::clamp(16 + rpm * 0.0045 - std::max(0.0, fill - 0.3) * 13.5 + slow, 2.0, 46.0);
}

double knockSpark_deg(const Build& build, double rpm, double air_mg, double chargeTemp_K, double lambda) {
    const double fill = filling(*build.engine, air_mg);
    return 24 - 24 * (fill - 0.9) + 2.2 * (rpm - 2500) / 1000 - 0.2 * (chargeTemp_K - 310) +
           0.9 * (build.fuel.octane_RON - 98) + 12 * build.fuel.ethanol + 25 * std::clamp(1 - lambda, 0.0, 0.25) -
           3 * (build.engine->compression - 9.6);
}

double indicatedTorque_Nm(const Build& build, double rpm, double air_mg, double lambda, double spark_deg) {
    const Engine& engine = *build.engine;
    const double off = bestSpark_deg(engine, rpm, air_mg) - spark_deg;
    const double spark = std::max(0.2, 1 - burn::kSparkLoss * off * off);
    const double burnt_kg = air_mg * 1e-6 / stoichOf(build) / std::max(1.0, lambda);
    const double work_J = burnt_kg * blendHeat_Jkg(build.fuel.ethanol) * burn::kEfficiency *
                          compressionGain(engine.compression) * lambdaEfficiency(lambda) * spark;
    return work_J * engine.cylinders / (4 * std::numbers::pi);
}

double exhaustTemperature_C(const Build& build, double rpm, double air_mg, double lambda, double spark_deg,
                            double chargeTemp_K) {
    const double stoich = stoichOf(build);
    const double heat_J =
        air_mg * 1e-6 / stoich / std::max(1.0, lambda) * blendHeat_Jkg(build.fuel.ethanol) * heatSetFree(lambda);
    const double work_J =
        indicatedTorque_Nm(build, rpm, air_mg, lambda, spark_deg) * 4 * std::numbers::pi / build.engine->cylinders;
    const double gas_kg = air_mg * 1e-6 * (1 + 1 / (stoich * lambda));
    return chargeTemp_K - 273.15 + (heat_J * (1 - coolantShare(rpm)) - work_J) / (gas_kg * turbo::kGasHeat_JkgK);
}

double lostTorque_Nm(const Engine& engine, double rpm, double coolant_C, double pressure_kPa, double back_kPa) {
    const double speed = rpm / 1000;
    const double friction_kPa = 104 + 12 * speed + 3.2 * speed * speed + std::max(0.0, 70 - coolant_C) * 1.1;
    const double pumping_kPa = back_kPa - pressure_kPa;
    return (friction_kPa + pumping_kPa) * 1000 * engine.displacement_m3 / (4 * std::numbers::pi);
}

double dwellNeeded_ms(double battery_V) {
    const double most_A = std::max(battery_V, 5.0) / burn::kCoil_Ohm;
    return -1000 * burn::kCoil_H / burn::kCoil_Ohm * std::log(1 - std::min(0.95, burn::kCoilEnough_A / most_A));
}

double Combustion::misfires(const TrueState& s, double dwell_ms) {
    if (!s.ignition) return 1;
    double share = 0;
    const double short_ms = dwellNeeded_ms(s.battery_V) - dwell_ms;
    if (short_ms > 0) share = std::min(1.0, short_ms * 0.8);
    // Towards the limits of inflammability ever fewer strokes burn.
    for (int bank = 0; bank < build_.engine->banks; ++bank) {
        const double lambda = s.banks[static_cast<size_t>(bank)].lambda;
        const double lean = (lambda - 1.45) / (burn::kLeanLimit - 1.45);
        const double rich = (0.66 - lambda) / (0.66 - burn::kRichLimit);
        share = std::max({share, std::clamp(lean, 0.0, 1.0), std::clamp(rich, 0.0, 1.0)});
    }
    return share;
}

void Combustion::step(TrueState& s, double spark_deg, double dwell_ms) {
    const Engine& engine = *build_.engine;
    s.spark_deg = spark_deg;
    if (s.tick % 10 == 0) {
        s.misfire = misfires(s, dwell_ms);
        s.bestSpark_deg = bestSpark_deg(engine, s.speed_rpm, s.airPerStroke_g * 1000);
        // The fullest cylinder knocks first, and all get the same fuel.
        const double fullest = 1 + fullest_;
        s.knockSpark_deg =
            knockSpark_deg(build_, s.speed_rpm, s.airPerStroke_g * 1000 * fullest, s.chargeTemp_K, s.lambda * fullest);
        knock(s);
        // Scatter of the work from cycle to cycle: two percent of a good charge, more with residual gas and far from
        // stoichiometric (Heywood, section 9.4).
        const double overlap = build_.parts.wildCams ? std::clamp((60 - s.pressure_kPa) / 40, 0.0, 1.0) : 0;
        const double mixture = std::max(0.0, std::abs(s.lambda - 0.97) - 0.12);
        const double share = 0.02 + 0.03 * overlap + 0.35 * std::min(mixture, 0.4) + 0.3 * s.misfire;
        rough_ += (share * noise_.normal() * 3 - rough_) * 0.3;
    }
    double indicated = 0, heat_W = 0, unburnt_W = 0;
    const double strokes = s.speed_rpm / 120 * engine.cylinders / engine.banks;
    const double stoich = stoichOf(build_);
    const double value_Jkg = blendHeat_Jkg(build_.fuel.ethanol);
    for (int bank = 0; bank < engine.banks; ++bank) {
        const BankState& b = s.banks[static_cast<size_t>(bank)];
        const double burns = 1 - s.misfire;
        const double burnt_g = std::min(b.fuelPerStroke_g, b.airPerStroke_g / stoich) * burns;
        const double supplied_W = b.fuelPerStroke_g / 1000 * value_Jkg * strokes;
        const double free_W = burnt_g / 1000 * value_Jkg * strokes * heatSetFree(b.lambda);
        heat_W += free_W;
        unburnt_W += supplied_W - free_W;
        indicated += b.fuelPerStroke_g > 1e-6
                         ? indicatedTorque_Nm(build_, s.speed_rpm, b.airPerStroke_g * 1000, b.lambda, spark_deg) *
                               burns / engine.banks
                         : 0;
    }
    s.indicated_Nm = indicated * (1 + rough_);
    const double omega = s.speed_rpm * std::numbers::pi / 30;
    const double lost = lostTorque_Nm(engine, s.speed_rpm, s.coolant_C, s.pressure_kPa, s.backPressure_kPa) + s.drag_Nm;
    s.torque_Nm = s.indicated_Nm - (s.speed_rpm > 5 ? lost : 0);

    // Heat: what is set free leaves as work, into the coolant, or with the exhaust.
    s.fuelHeat_W = heat_W + unburnt_W;
    s.unburnt_W = unburnt_W;
    s.work_W = s.indicated_Nm * omega;
    s.coolantHeat_W = heat_W * coolantShare(s.speed_rpm);
    const double gas_kgs = (s.airflow_gs + s.fuelFlow_gs) / 1000;
    const double left_W = std::max(0.0, heat_W - s.work_W - s.coolantHeat_W);
    const double wanted_C =
        gas_kgs > 1e-4 ? s.chargeTemp_K - 273.15 + left_W / (gas_kgs * turbo::kGasHeat_JkgK) : s.ambient_C;
    s.exhaust_C += (std::min(wanted_C, 1300.0) - s.exhaust_C) * kStep_s / burn::kExhaustLag_s;
}

void Combustion::knock(TrueState& s) {
    const double limit = s.knockSpark_deg + burn::kKnockScatter_deg * noise_.normal();
    const bool burning = s.fuelPerStroke_g > 1e-6 && s.misfire < 0.5 && s.speed_rpm > 500;
    s.knock = burning ? std::max(0.0, s.spark_deg - limit) : 0;
    if (s.knock > 0.5) ++s.knockMoments;
}

}  // namespace brusk::benchcar
