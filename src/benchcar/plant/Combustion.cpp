// Fuel, spark and knock become torque and heat.
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
    const double fill = filling(build.engine, air_mg);
    return 24 - 24 * (fill - 0.9) + 2.2 * (rpm - 2500) / 1000 - 0.2 * (chargeTemp_K - 310) +
           0.9 * (build.fuel.octane_RON - 98) + 12 * build.fuel.ethanol + 25 * std::clamp(1 - lambda, 0.0, 0.25) -
           3 * (build.engine.compression - 9.6);
}

namespace {

double torque_Nm(const Build& build, double gain, double rpm, double air_mg, double lambda, double spark_deg) {
    const Engine& engine = build.engine;
    const double off = bestSpark_deg(engine, rpm, air_mg) - spark_deg;
    const double spark = std::max(0.2, 1 - burn::kSparkLoss * off * off);
    const double burnt_kg = air_mg * 1e-6 / stoichOf(build) / std::max(1.0, lambda);
    const double work_J =
        burnt_kg * blendHeat_Jkg(build.fuel.ethanol) * burn::kEfficiency * gain * lambdaEfficiency(lambda) * spark;
    return work_J * engine.cylinders / (4 * std::numbers::pi);
}

}  // namespace

double indicatedTorque_Nm(const Build& build, double rpm, double air_mg, double lambda, double spark_deg) {
    return torque_Nm(build, compressionGain(build.engine.compression), rpm, air_mg, lambda, spark_deg);
}

Combustion::Combustion(const Build& build, Noise& noise)
    : build_(build), noise_(noise), fullest_(build.drawn.fullest()), gain_(compressionGain(build.engine.compression)) {}

double exhaustTemperature_C(const Build& build, double rpm, double air_mg, double lambda, double spark_deg,
                            double chargeTemp_K) {
    const double stoich = stoichOf(build);
    const double heat_J =
        air_mg * 1e-6 / stoich / std::max(1.0, lambda) * blendHeat_Jkg(build.fuel.ethanol) * heatSetFree(lambda);
    const double work_J =
        indicatedTorque_Nm(build, rpm, air_mg, lambda, spark_deg) * 4 * std::numbers::pi / build.engine.cylinders;
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
    for (int bank = 0; bank < build_.engine.banks; ++bank) {
        const double lambda = s.banks[static_cast<size_t>(bank)].lambda;
        const double lean = (lambda - 1.45) / (burn::kLeanLimit - 1.45);
        const double rich = (0.66 - lambda) / (0.66 - burn::kRichLimit);
        share = std::max({share, std::clamp(lean, 0.0, 1.0), std::clamp(rich, 0.0, 1.0)});
    }
    return share;
}

void Combustion::step(TrueState& s, double spark_deg, double dwell_ms) {
    const Engine& engine = build_.engine;
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
        const double overlap =
            std::max(0.0, build_.parts.cams.moreOverlap()) * std::clamp((60 - s.pressure_kPa) / 40, 0.0, 1.0);
        const double mixture = std::max(0.0, std::abs(s.lambda - 0.97) - 0.12);
        const double share = 0.02 + 0.03 * overlap + 0.35 * std::min(mixture, 0.4) + 0.3 * s.misfire;
        rough_ += (share * noise_.normal() * 3 - rough_) * 0.3;
    }
    if (s.weakCylinder > 0) cycle_ = std::fmod(cycle_ + s.speed_rpm / 120 * kStep_s, 1.0);
    double indicated = 0, heat_W = 0, unburnt_W = 0, ripple = 0;
    const double strokes = s.speed_rpm / 120 * engine.cylinders / engine.banks;
    const double stoich = stoichOf(build_);
    const double value_Jkg = blendHeat_Jkg(build_.fuel.ethanol);
    for (int bank = 0; bank < engine.banks; ++bank) {
        const BankState& b = s.banks[static_cast<size_t>(bank)];
        const double burns = 1 - s.misfire;
        const double burnt_g = std::min(b.fuelPerStroke_g, b.airPerStroke_g / stoich) * burns;
        const double supplied_W = b.fuelPerStroke_g / 1000 * value_Jkg * strokes;
        const double free_W = burnt_g / 1000 * value_Jkg * strokes * heatSetFree(b.lambda);
        double given_Nm = b.fuelPerStroke_g > 1e-6
                              ? torque_Nm(build_, gain_, s.speed_rpm, b.airPerStroke_g * 1000, b.lambda, spark_deg) *
                                    burns / engine.banks
                              : 0;
        double whole = 1, fed = 1;
        if (bank == 0 && s.weakCylinder > 0) {
            // One cylinder of the bank gets less fuel, and burns it leaner or not at all.
            const double gives = weakShare(b, s.weakCylinder, spark_deg, s.speed_rpm);
            const double one = static_cast<double>(engine.banks) / engine.cylinders;
            whole = 1 - one * (1 - gives);
            fed = 1 - one * s.weakCylinder;
            given_Nm *= whole;
        }
        heat_W += free_W * whole;
        unburnt_W += supplied_W * fed - free_W * whole;
        indicated += given_Nm;
        if (whole < 1) ripple = (1 - whole) / engine.banks;
    }
    s.indicated_Nm = indicated * (1 + rough_);
    // The weak stroke comes once a cycle, and the crank feels it.
    if (ripple > 0) s.indicated_Nm *= 1 + ripple * engine.cylinders / 2 * std::sin(2 * std::numbers::pi * cycle_);
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

double Combustion::weakShare(const BankState& bank, double lacks, double spark_deg, double rpm) const {
    if (lacks >= 1 || bank.fuelPerStroke_g < 1e-6) return 0;
    const double lambda = bank.lambda / (1 - lacks);
    const double burns = 1 - std::clamp((lambda - 1.45) / (burn::kLeanLimit - 1.45), 0.0, 1.0);
    const double well = indicatedTorque_Nm(build_, rpm, bank.airPerStroke_g * 1000, bank.lambda, spark_deg);
    const double here = indicatedTorque_Nm(build_, rpm, bank.airPerStroke_g * 1000, lambda, spark_deg);
    return well > 0 ? std::min(1.0, here * burns / well) : 0;
}

/// Degrees beyond its limit of the loudest combustion of these ten milliseconds.
double Combustion::loudestKnock(TrueState& s) {
    const auto uniform = [&] { return static_cast<double>(noise_.next() >> 11) * 0x1p-53; };
    double loudest = 0;
    fired_ += s.speed_rpm / 120 * build_.engine.cylinders * 0.01;
    for (; fired_ >= 1; fired_ -= 1) {
        const double share = 1 + build_.drawn.cylinders[cylinder_];
        cylinder_ = (cylinder_ + 1) % static_cast<size_t>(build_.engine.cylinders);
        double early = burn::kKnockOften_deg * noise_.normal();
        if (uniform() < burn::kKnockRare) early -= burn::kKnockRare_deg * std::log(std::max(uniform(), 1e-12));
        const double limit =
            knockSpark_deg(build_, s.speed_rpm, s.airPerStroke_g * 1000 * share, s.chargeTemp_K, s.lambda * share);
        const double beyond = s.spark_deg - limit + early;
        if (beyond > 0) ++s.knocks;
        loudest = std::max(loudest, beyond);
    }
    return loudest;
}

void Combustion::knock(TrueState& s) {
    const bool burning = s.fuelPerStroke_g > 1e-6 && s.misfire < 0.5 && s.speed_rpm > 500;
    if (build_.drawn.shapes) {
        s.knock = burning ? loudestKnock(s) : 0;
    } else {
        const double limit = s.knockSpark_deg + burn::kKnockScatter_deg * noise_.normal();
        s.knock = burning ? std::max(0.0, s.spark_deg - limit) : 0;
    }
    if (s.knock > 0.5) ++s.knockMoments;
}

}  // namespace brusk::benchcar
