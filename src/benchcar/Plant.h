// Engine, vehicle and driver: the continuous part of the bench car, in steps of a millisecond.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <array>
#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

#include "benchcar/Controller.h"
#include "benchcar/EngineTruth.h"
#include "benchcar/Noise.h"

namespace brusk::benchcar {

/// One leg of a route: what the driver is asked to do for a while.
struct Leg {
    double seconds = 0;
    double speed_kmh = 0;  ///< 0: stand and idle
    int gear = 0;          ///< 0: neutral
    double gradeFrom = 0;  ///< slope of the road, share, moving evenly from the one
    double gradeTo = 0;    ///< to the other
    double pedal = -1;     ///< 0 to 1: hold the pedal there instead of following the speed
};

struct Route {
    std::string name;
    std::string title;
    std::vector<Leg> legs;
    double seconds() const;
};

/// The routes the driver knows: "survey", "idle", "hills", "town", "motorway".
const std::vector<Route>& routes();
const Route* routeNamed(std::string_view name);

/// Everything that is physically so, for tests that compare what was measured with what was true.
struct TrueState {
    double speed_rpm = 0;
    double pressure_kPa = truth::kAmbient_kPa;
    double boost_kPa = truth::kAmbient_kPa;  ///< before the throttle
    double airPerStroke_g = 0;
    double airflow_gs = 0;
    double fuelPerStroke_g = 0;
    double lambda = 1;          ///< of the charge now in the cylinder
    double lambdaAtSensor = 1;  ///< after transport
    double wideband = 1;        ///< after the sensor's lag and noise
    double delay_s = 0.3;       ///< transport now
    double torque_Nm = 0;
    double vehicle_kmh = 0;
    double coolant_C = 78;
    double intake_C = 24;
    double battery_V = 12.4;
    double throttle = 0;  ///< 0 to 1
    double pedal = 0;     ///< 0 to 1
    int gear = 0;
};

class Plant {
  public:
    Plant(const Parts& parts, uint64_t seed);

    void step(const ActuatorCommands& commands);
    SensorReadings sensors();

    const TrueState& state() const { return s_; }
    const Parts& parts() const { return parts_; }
    void setRoute(const Route& route);
    void stopRoute() { route_ = nullptr; }
    bool onRoute() const { return route_ != nullptr; }
    double routeSeconds() const { return routeTime_s_; }
    void setIgnition(bool on) { ignition_ = on; }
    bool ignition() const { return ignition_; }
    void setCoolant(double celsius) { s_.coolant_C = celsius; }

  private:
    void drive();
    void breathe(const ActuatorCommands& commands);
    void burn(const ActuatorCommands& commands);
    void exhaust();
    void move();
    void warm(const ActuatorCommands& commands);

    Parts parts_;
    TrueState s_;
    Noise noise_;
    const Route* route_ = nullptr;
    double routeTime_s_ = 0;
    size_t leg_ = 0;
    double legTime_s_ = 0;
    double grade_ = 0;
    double pedalIntegral_ = 0;
    double clutch_ = 0;  ///< 0 open, 1 closed
    double omega_ = 0;   ///< rad/s
    double vehicle_ms_ = 0;
    double ve_ = 0.7;
    double chargeTemp_K_ = 310;
    double narrow_ = 1;
    double lambdaLag_ = 1;
    double fuelQ_ = 0;  ///< g per us of open injector
    double stoich_ = 14.7;
    bool ignition_ = false;
    bool starter_ = false;
    int tick_ = 0;
    static constexpr size_t kHistory = 2048;
    std::array<float, kHistory> lambdaHistory_{};
};

}  // namespace brusk::benchcar
