// Solves pressure, air and torque for states that do not change.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "benchcar/cars/Steady.h"

#include <algorithm>

#include "benchcar/plant/Breathing.h"
#include "benchcar/plant/Combustion.h"
#include "benchcar/plant/Thermal.h"

namespace brusk::benchcar {

namespace {

constexpr double kAmbient_kPa = 101.3, kIntake_C = 30;

/// The x between `low` and `high` where a rising function passes zero.
template <class F>
double whereZero(double low, double high, F f) {
    for (int i = 0; i < 50; ++i) {
        const double middle = (low + high) / 2;
        (f(middle) < 0 ? low : high) = middle;
    }
    return (low + high) / 2;
}

}  // namespace

double Steady::chargeTemp_K(double rpm, double air_mg, double intake_C, double coolant_C) const {
    const double flow_gs = air_mg / 1000 * rpm / 120 * build_.engine.cylinders;
    return chargeTemperature_K(intake_C, coolant_C, flow_gs);
}

double Steady::air_mg(double rpm, double pressure_kPa) const {
    const double ve = volumetricEfficiency(build_, rpm, pressure_kPa);
    double air = 1000 * cylinderAir_g(build_.engine, ve, pressure_kPa, 315);
    for (int i = 0; i < 4; ++i)
        air = 1000 * cylinderAir_g(build_.engine, ve, pressure_kPa, chargeTemp_K(rpm, air, kIntake_C));
    return air;
}

double Steady::pressureFor_kPa(double rpm, double air_mg) const {
    return whereZero(8, 400, [&](double p) { return this->air_mg(rpm, p) - air_mg; });
}

double Steady::pressureAt_kPa(double rpm, double opening) const {
    return whereZero(8, kAmbient_kPa, [&](double p) {
        const double engine_kgs = air_mg(rpm, p) * 1e-6 * rpm / 120 * build_.engine.cylinders;
        return engine_kgs - throttleFlow_kgs(build_.engine, opening, kAmbient_kPa, p, kIntake_C);
    });
}

double Steady::openingFor(double rpm, double air_mg) const {
    if (air_mg >= this->air_mg(rpm, 0.985 * kAmbient_kPa)) return 1;
    return whereZero(0, 1, [&](double opening) { return this->air_mg(rpm, pressureAt_kPa(rpm, opening)) - air_mg; });
}

double Steady::idleOpening(double rpm, double coolant_C, double spark_deg) const {
    const double pressure = whereZero(10, kAmbient_kPa, [&](double p) {
        // The charge of a cold engine is cold too.
        const double ve = volumetricEfficiency(build_, rpm, p);
        const double air = 1000 * cylinderAir_g(build_.engine, ve, p, chargeTemperature_K(25, coolant_C, 2.5));
        const double lost =
            lostTorque_Nm(build_.engine, rpm, coolant_C, p, kAmbient_kPa + 2.7) + thermal::kAlternator_Nm;
        return indicatedTorque_Nm(build_, rpm, air, 1, spark_deg) - lost;
    });
    const double ve = volumetricEfficiency(build_, rpm, pressure);
    const double flow_kgs = cylinderAir_g(build_.engine, ve, pressure, chargeTemperature_K(25, coolant_C, 2.5)) / 1000 *
                            rpm / 120 * build_.engine.cylinders;
    return whereZero(0, 1, [&](double opening) {
        return throttleFlow_kgs(build_.engine, opening, kAmbient_kPa, pressure, 25) - flow_kgs;
    });
}

double Steady::spark_deg(double rpm, double air_mg, double octane_RON, double lambda, double margin_deg) const {
    Build with = build_;
    with.fuel = {octane_RON, build_.fuel.ethanol};
    const double best = bestSpark_deg(build_.engine, rpm, air_mg) - 1;
    // The charge as a calibrator meets it: warmed by the compressor where there is boost.
    const double intake_C = 30 + 12 * std::max(0.0, filling(build_.engine, air_mg) - 0.9);
    const double knock = knockSpark_deg(with, rpm, air_mg, chargeTemp_K(rpm, air_mg, intake_C), lambda) - margin_deg;
    return std::clamp(std::min(best, knock), -8.0, 45.0);
}

/// Stoichiometric up to moderate load, then richer with boost and speed to spare pistons and turbine.
double Steady::lambdaWanted(double rpm, double pressure_kPa) const {
    const double over = std::max(0.0, pressure_kPa - 105) * 0.0019 + std::max(0.0, rpm - 4200) * 0.00002;
    return std::max(0.78, 1 - over);
}

}  // namespace brusk::benchcar
