// Engine, vehicle, weather and driver together: the continuous part of the bench car, in steps of a millisecond.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>

#include "benchcar/controller/Wires.h"
#include "benchcar/plant/Breathing.h"
#include "benchcar/plant/Build.h"
#include "benchcar/plant/Combustion.h"
#include "benchcar/plant/Driver.h"
#include "benchcar/plant/ExhaustPath.h"
#include "benchcar/plant/Faults.h"
#include "benchcar/plant/FuelSystem.h"
#include "benchcar/plant/Noise.h"
#include "benchcar/plant/Sensors.h"
#include "benchcar/plant/Thermal.h"
#include "benchcar/plant/Turbo.h"

namespace brusk::benchcar {

namespace chassis {
inline constexpr double kStarter_rpm = 260;  // speed the starter tends to
inline constexpr double kRolling = 0.012;    // road tyres on asphalt
inline constexpr double kAirDensity = 1.2;   // kg/m3
inline constexpr double kGravity = 9.81;     // m/s2
inline constexpr double kDriveline = 0.93;   // efficiency of gearbox and final drive
inline constexpr double kRotating = 1.06;    // wheels and shafts, as more mass
inline constexpr double kClutch_Nm = 420;    // closed
inline constexpr double kClutchSlip = 22;    // Nm per rad/s of slip, below that
inline constexpr double kBrake_ms2 = 2.5;    // of a calm driver
}  // namespace chassis

class Plant {
  public:
    Plant(const Build& build, uint64_t seed);
    Plant(const Plant&) = delete;
    Plant& operator=(const Plant&) = delete;

    void step(const ActuatorCommands& commands);
    SensorReadings sensors() { return sensors_.read(s_, faults_); }
    /// Lambda as the wideband sends it; 0 when it is dead.
    double wideband() const { return sensors_.wideband(); }

    const TrueState& state() const { return s_; }
    const Build& build() const { return build_; }
    Faults& faults() { return faults_; }

    // --- the operator's side
    void setRoute(const Route& route);
    void stopRoute() { driver_.stop(); }
    bool onRoute() const { return driver_.active(); }
    double routeSeconds() const { return driver_.seconds(); }
    void setIgnition(bool on) { s_.ignition = on; }
    bool ignition() const { return s_.ignition; }
    void setCoolant(double celsius) { s_.coolant_C = celsius; }
    void setWeather(const Weather& weather);
    void setFuel(const Fuel& fuel) { build_.fuel = tank_ = fuel; }
    /// What is being driven now; null when nothing is.
    const Leg* leg() const { return driver_.leg(); }
    void setAirConditioning(bool on) { airConditioning_ = on; }

  private:
    void move();
    void burnWhatTheTankGives();
    void climb();

    Build build_;
    TrueState s_;
    Noise noise_;
    Faults faults_;
    Fuel tank_;
    Weather weather_;  ///< where the drive began
    Driver driver_;
    Breathing breathing_;
    Turbo turbo_;
    FuelSystem fuel_;
    Combustion combustion_;
    ExhaustPath exhaust_;
    Thermal thermal_;
    Sensors sensors_;
    double omega_ = 0;  ///< rad/s
    double vehicle_ms_ = 0;
    bool airConditioning_ = false;
};

}  // namespace brusk::benchcar
