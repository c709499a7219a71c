// Routes, and the driver who follows them with pedal, clutch and gears.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "benchcar/plant/Build.h"
#include "benchcar/plant/TrueState.h"

namespace brusk::benchcar {

/// One leg of a route: what the driver is asked to do for a while.
struct Leg {
    double seconds = 0;
    double speed_kmh = 0;      ///< 0: stand and idle
    int gear = 0;              ///< 0: neutral
    double gradeFrom = 0;      ///< slope of the road, share, moving evenly from the one
    double gradeTo = 0;        ///< to the other
    double pedal = -1;         ///< 0 to 1: hold the pedal there instead of following the speed
    double pressure_kPa = -1;  ///< hold this manifold pressure; the road becomes a dynamometer that holds the speed
    bool airConditioning = false;
    double revs_rpm = -1;   ///< hold this engine speed by the pedal, in neutral
    bool dyno = false;      ///< with a pedal position: the road becomes a dynamometer that holds the speed
    bool rolls = false;     ///< in neutral, let it roll without brakes
    bool lamps = false;     ///< headlamps on
    bool covered = false;   ///< standing, with a sheet of card before the radiator
    bool keyOff = false;    ///< the key is turned off
    bool refuel = false;    ///< standing: the tank is filled up, and the litres are told
    double dutyStep = 0;    ///< that a tester adds to the wastegate's duty, percent
    double lambdaStep = 0;  ///< and to the lambda that is asked for
    int stretch = -1;       ///< of the road; legs with the same number lie on the same one; negative: one of its own
};

struct Route {
    std::string name;
    std::string title;
    std::vector<Leg> legs;
    bool cold = false;                     ///< the engine starts as cold as the weather
    std::optional<double> weather_C = {};  ///< the drive belongs to a day as cold as this
    bool mountain = false;                 ///< the road's height counts: the air gets thinner and colder
    double seconds() const;
};

/// The routes the driver knows by name.
const std::vector<Route>& routes();
const Route* routeNamed(std::string_view name);

/// A cell of a map to be visited.
struct Cell {
    double speed_rpm = 0;
    double pressure_kPa = 0;
};
/// Visits the cells in an order that wastes little time; a cell that the car cannot reach costs its seconds and no
/// more.
Route visitRoute(const Build& build, std::vector<Cell> cells, double secondsEach = 6);
/// Road speed at an engine speed in a gear.
double roadSpeed_kmh(const Build& build, double rpm, int gear);

class Driver {
  public:
    explicit Driver(const Build& build) : build_(build) {}
    void begin(const Route& route);
    void stop() { active_ = false; }
    bool active() const { return active_; }
    double seconds() const { return time_s_; }
    const Route& route() const { return route_; }
    /// What is being driven; null when nothing is.
    const Leg* leg() const { return active_ ? &route_.legs[leg_] : nullptr; }
    void step(TrueState& s);

  private:
    void begin(TrueState& s, const Leg& leg);
    void press(TrueState& s, const Leg& leg);
    void brakeDynamometer(TrueState& s, const Leg& leg);

    const Build& build_;
    Route route_;
    bool active_ = false;
    double time_s_ = 0;
    size_t leg_ = 0;
    double legTime_s_ = 0;
    double integral_ = 0;
    double brake_ = 0;
    bool began_ = false;     ///< the leg
    double filledAt_l_ = 0;  ///< fuel used when the tank was last full
};

}  // namespace brusk::benchcar
