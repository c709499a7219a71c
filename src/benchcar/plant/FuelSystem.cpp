// Pump, injectors and the film on the walls, cylinder by cylinder.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "benchcar/plant/FuelSystem.h"

#include <algorithm>
#include <cmath>

namespace brusk::benchcar {

double blendDensity(double ethanol) {
    return ethanol * fuel::kEthanolDensity + (1 - ethanol) * fuel::kPetrolDensity;
}

double blendStoich(double ethanol) {
    return (ethanol * fuel::kEthanolDensity * fuel::kEthanolRatio +
            (1 - ethanol) * fuel::kPetrolDensity * fuel::kPetrolRatio) /
           blendDensity(ethanol);
}

double blendHeat_Jkg(double ethanol) {
    return (ethanol * fuel::kEthanolDensity * fuel::kEthanolHeat_Jkg +
            (1 - ethanol) * fuel::kPetrolDensity * fuel::kPetrolHeat_Jkg) /
           blendDensity(ethanol);
}

double deadTime_us(const Injectors& injectors, double battery_V) {
    return injectors.deadAt14_us + (14 - battery_V) * injectors.deadSlope_us;
}

double stoichOf(const Build& build) {
    return blendStoich(build.fuel.ethanol) * (1 + build.drawn.stoich);
}

double deadTime_us(const Build& build, double battery_V) {
    Injectors injectors = build.parts.injectors;
    injectors.deadAt14_us += build.drawn.deadTime_us;
    injectors.deadSlope_us *= 1 + build.drawn.deadSlope;
    return deadTime_us(injectors, battery_V);
}

double injectorRate_gus(const Build& build) {
    return build.parts.injectors.flow_cm3min * (1 + build.drawn.injectorFlow) * blendDensity(build.fuel.ethanol) / 60e6;
}

double filmShare(double coolant_C, double pressure_kPa) {
    const double cold = std::exp(-(coolant_C + 10) / 38);
    return std::clamp((0.07 + 0.42 * cold) * (0.75 + 0.25 * pressure_kPa / 100), 0.0, 0.7);
}

double filmTime_s(double coolant_C) {
    return 0.12 + 0.75 * std::exp(-(coolant_C + 10) / 42);
}

double evaporated(double coolant_C) {
    const double warm = std::exp(-(fuel::kEnoughWarm_C + 10) / 28);
    return 1 - 0.38 * std::max(0.0, std::exp(-(coolant_C + 10) / 28) - warm);
}

double startLoss(double coolant_C, double run_s) {
    if (run_s > 60) return 0;
    const double cold = std::exp(-(coolant_C + 10) / 45);
    return (0.03 + 0.2 * cold) * std::exp(-run_s / 5);
}

void FuelSystem::step(TrueState& s, const std::array<double, 2>& pulse_us, const Faults& faults) {
    const Engine& engine = build_.engine;
    if (s.tick % 20 == 0) {
        share_ = filmShare(s.coolant_C, s.pressure_kPa);
        time_s_ = filmTime_s(s.coolant_C);
        burns_ = evaporated(s.coolant_C) * (1 - startLoss(s.coolant_C, s.runTime_s));
    }
    const double dead_us = deadTime_us(build_, s.battery_V);
    // Without its hose the regulator holds the pressure over the weather, not over the manifold.
    const double unreferenced = build_.parts.regulatorReferenced ? faults.regulatorUnreferenced : 1;
    s.injectorPressure =
        std::max(0.05, 1 + unreferenced * (s.ambient_kPa - s.pressure_kPa) / build_.parts.fuelPressure_kPa);
    const double rate = injectorRate_gus(build_) * std::sqrt(s.railPressure * s.injectorPressure);
    s.weakCylinder = faults.injectorDead > 0 ? 1 : faults.injectorLean;
    const double slow = build_.drawn.slowFilm;
    const double perBank = static_cast<double>(engine.cylinders) / engine.banks;
    const double strokes = s.speed_rpm / 120 * perBank;  // a second, each bank
    s.injected_gs = s.fuelFlow_gs = 0;
    for (int bank = 0; bank < engine.banks; ++bank) {
        const auto b = static_cast<size_t>(bank);
        // An injector cannot be open longer than its cycle lasts.
        const double cycle_us = s.speed_rpm > 30 ? 120e6 / s.speed_rpm : 4e6;
        const double open_us = pulse_us[b] > 0 ? std::clamp(pulse_us[b] - dead_us, 0.0, cycle_us) : 0;
        const double injected_gs = open_us * rate * strokes;
        const double leaving_gs = film_g_[b] / time_s_;
        const double slowly_gs = slowFilm_g_[b] / (fuel::kSlowFilm * time_s_);
        film_g_[b] += kStep_s * ((1 - slow) * share_ * injected_gs - leaving_gs);
        slowFilm_g_[b] += kStep_s * (slow * share_ * injected_gs - slowly_gs);
        const double in_gs =
            ((1 - share_) * injected_gs + leaving_gs + slowly_gs) * burns_ + s.purgeFuel_gs / engine.banks;
        BankState& out = s.banks[b];
        out.fuelPerStroke_g = strokes > 0.5 ? in_gs / strokes : 0;
        const double stoich = stoichOf(build_);
        out.lambda = out.fuelPerStroke_g > 1e-6
                         ? std::clamp(out.airPerStroke_g / (stoich * out.fuelPerStroke_g), 0.3, 8.0)
                         : 8.0;
        const double whole = bank == 0 ? 1 - s.weakCylinder / perBank : 1;
        s.injected_gs += injected_gs * whole;
        s.fuelFlow_gs += in_gs * whole;
    }
    if (engine.banks == 1) s.banks[1] = s.banks[0];
    s.fuelPerStroke_g = (s.banks[0].fuelPerStroke_g + s.banks[1].fuelPerStroke_g) / 2;
    s.lambda = s.banks[0].lambda;
    s.fuelUsed_l += s.injected_gs * kStep_s / (blendDensity(build_.fuel.ethanol) * 1000);

    // Beyond what the pump gives the pressure falls until the injectors take no more than it has.
    const double able_gs = fuel::kPump_gs * faults.weakPump * std::min(1.1, s.battery_V / 13.5);
    const double full_gs = s.injected_gs / std::sqrt(std::max(s.railPressure, 0.05));
    const double wanted = full_gs > able_gs ? std::max(0.1, able_gs / full_gs * able_gs / full_gs) : 1;
    s.railPressure += (wanted - s.railPressure) * kStep_s / fuel::kPumpLag_s;
}

}  // namespace brusk::benchcar
