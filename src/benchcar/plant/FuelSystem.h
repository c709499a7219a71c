// Pump, injectors and the film of fuel on the port's walls (the X-tau model: Aquino 1981; G&O section 2.4.2).
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <array>

#include "benchcar/plant/Build.h"
#include "benchcar/plant/Faults.h"
#include "benchcar/plant/TrueState.h"

namespace brusk::benchcar {

namespace fuel {
inline constexpr double kPetrolDensity = 0.745, kEthanolDensity = 0.789;      // kg/l at 15 degC
inline constexpr double kPetrolRatio = 14.7, kEthanolRatio = 9.0;             // stoichiometric, by mass
inline constexpr double kPetrolHeat_Jkg = 42.8e6, kEthanolHeat_Jkg = 26.8e6;  // lower heating value, Heywood D.4
inline constexpr double kPump_gs = 32;      // what the pump gives at the regulator's pressure and 13.5 V
inline constexpr double kPumpLag_s = 0.06;  // of the rail's pressure
inline constexpr double kSlowFilm = 6;  // times as long stays what lies deep in the port, where there is such a part
inline constexpr double kEnoughWarm_C = 70;  // above it all fuel evaporates in time
}  // namespace fuel

/// Mass-weighted properties of the blend.
double blendDensity(double ethanol);
double blendStoich(double ethanol);
double blendHeat_Jkg(double ethanol);

/// Of what is in this car's tank.
double stoichOf(const Build& build);

double deadTime_us(const Injectors& injectors, double battery_V);
/// Of this car's injectors.
double deadTime_us(const Build& build, double battery_V);
/// Grams a microsecond of open injector.
double injectorRate_gus(const Build& build);
/// Share of the injected fuel that lands on the wall, and how long it stays there.
double filmShare(double coolant_C, double pressure_kPa);
double filmTime_s(double coolant_C);
/// Share of the fuel that evaporates in time to burn: cold engines wet their walls for good.
double evaporated(double coolant_C);
/// Share lost besides in the first seconds after a start, while ports and valves are still cold.
double startLoss(double coolant_C, double run_s);

class FuelSystem {
  public:
    explicit FuelSystem(const Build& build) : build_(build) {}
    void step(TrueState& s, const std::array<double, 2>& pulse_us, const Faults& faults);

  private:
    const Build& build_;
    std::array<double, 2> film_g_{}, slowFilm_g_{};
    double share_ = 0.1, time_s_ = 0.2, burns_ = 1;
};

}  // namespace brusk::benchcar
