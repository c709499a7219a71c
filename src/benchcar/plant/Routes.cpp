// The scripted drives. Speeds and slopes are chosen so that together they visit most of the map a street sees.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <cmath>
#include <tuple>

#include "benchcar/plant/Driver.h"

namespace brusk::benchcar {
namespace {

Leg hold(double seconds, double speed_kmh, int gear, double grade = 0) {
    return {.seconds = seconds, .speed_kmh = speed_kmh, .gear = gear, .gradeFrom = grade, .gradeTo = grade};
}
Leg sweep(double seconds, double speed_kmh, int gear, double from, double to) {
    return {.seconds = seconds, .speed_kmh = speed_kmh, .gear = gear, .gradeFrom = from, .gradeTo = to};
}
Leg foot(double seconds, int gear, double pedal, double grade = 0) {
    return {.seconds = seconds, .speed_kmh = 0, .gear = gear, .gradeFrom = grade, .gradeTo = grade, .pedal = pedal};
}

void moveOff(Route& route, std::initializer_list<std::pair<double, int>> steps) {
    for (const auto& [speed, gear] : steps)
        route.legs.push_back(hold(gear == 1 ? 4 : 6, speed, gear));
}

/// Every speed of a ladder in 3rd and 4th, the road tilting slowly from downhill to a steep climb and back.
Route survey() {
    Route route{"survey", "Survey of the map", {hold(40, 0, 0), hold(5, 14, 1), hold(5, 24, 2)}};
    constexpr double grade = 0.004;
    for (const double speed : {24.0, 30.0, 37.0, 45.0, 53.0, 61.0, 70.0, 79.0, 88.0, 98.0}) {
        const double top = speed < 26 ? 0.07 : speed < 40 ? 0.13 : speed < 60 ? 0.19 : 0.17;
        route.legs.push_back(hold(4, speed, 3, grade));
        route.legs.push_back(sweep(26, speed, 3, grade, top));
        route.legs.push_back(sweep(20, speed, 3, top, grade));
    }
    for (const double speed : {45.0, 70.0, 95.0, 120.0}) {
        route.legs.push_back(hold(6, speed, 4, grade));
        route.legs.push_back(sweep(22, speed, 4, grade, speed > 100 ? 0.06 : 0.12));
        route.legs.push_back(sweep(14, speed, 4, speed > 100 ? 0.06 : 0.12, 0));
    }
    route.legs.push_back(hold(8, 60, 4));
    route.legs.push_back(hold(30, 0, 0));
    return route;
}

Route town() {
    Route route{"town", "Town", {hold(12, 0, 0)}};
    for (const double speed : {32.0, 48.0, 40.0, 52.0, 30.0, 50.0}) {
        moveOff(route, {{15, 1}, {28, 2}});
        route.legs.push_back(hold(16, speed, 3, 0.01));
        route.legs.push_back(hold(7, 25, 2));
        route.legs.push_back(hold(8, 0, 0));
    }
    return route;
}

Route hills() {
    Route route{"hills", "Small hills", {hold(10, 0, 0), hold(4, 16, 1), hold(5, 30, 2)}};
    for (const double speed : {40.0, 55.0, 65.0, 50.0}) {
        route.legs.push_back(sweep(18, speed, 3, 0, 0.10));
        route.legs.push_back(sweep(18, speed, 3, 0.10, -0.02));
        route.legs.push_back(sweep(14, speed + 10, 4, -0.02, 0.05));
    }
    route.legs.push_back(hold(10, 0, 0));
    return route;
}

Route motorway() {
    Route route{"motorway", "Motorway", {hold(10, 0, 0)}};
    moveOff(route, {{18, 1}, {35, 2}, {60, 3}, {85, 4}});
    for (const double speed : {100.0, 115.0, 130.0, 110.0}) {
        route.legs.push_back(hold(20, speed, 5));
        route.legs.push_back(sweep(16, speed, 5, 0, 0.04));
        route.legs.push_back(sweep(12, speed, 5, 0.04, 0));
    }
    return route;
}

Route coldStart() {
    Route route{"cold-start", "Cold start", {hold(90, 0, 0)}};
    route.cold = true;
    moveOff(route, {{15, 1}, {30, 2}});
    for (const double speed : {40.0, 55.0, 45.0}) {
        route.legs.push_back(hold(40, speed, 3, 0.015));
        route.legs.push_back(hold(12, 0, 0));
        moveOff(route, {{15, 1}, {30, 2}});
    }
    route.legs.push_back(hold(40, 0, 0));
    return route;
}

/// Warm idle, alone and with what the driver switches on.
Route idle() {
    Route route{"idle", "Warm idle", {hold(60, 0, 0)}};
    Leg cooled = hold(25, 0, 0);
    cooled.airConditioning = true;
    route.legs.push_back(cooled);
    route.legs.push_back(hold(25, 0, 0));
    return route;
}

/// Three pulls from low to high speed in one gear, with a coast-down after each.
Route pulls(int gear) {
    const bool third = gear == 3;
    Route route{third ? "pulls-3" : "pulls-4", third ? "Pulls in 3rd" : "Pulls in 4th", {hold(12, 0, 0)}};
    moveOff(route, {{16, 1}, {30, 2}, {42, 3}});
    const double from = third ? 42 : 56;
    for (int n = 0; n < 3; ++n) {
        route.legs.push_back(hold(6, from, gear));
        route.legs.push_back(foot(third ? 9.5 : 13, gear, 1.0, 0.03));
        route.legs.push_back(foot(third ? 14 : 16, gear, 0.0, 0.05));
    }
    route.legs.push_back(hold(6, from, gear));
    route.legs.push_back(hold(25, 0, 0));
    return route;
}

Route tipIns() {
    Route route{"tip-ins", "Tip-ins", {hold(12, 0, 0)}};
    moveOff(route, {{16, 1}, {30, 2}, {45, 3}});
    for (const double pedal : {0.2, 0.35, 0.5, 0.3, 0.6, 0.25, 0.45}) {
        route.legs.push_back(hold(8, 45, 3));
        route.legs.push_back(foot(2.5, 3, pedal, 0.02));
        route.legs.push_back(foot(2, 3, 0.05, 0.01));
    }
    route.legs.push_back(hold(20, 0, 0));
    return route;
}

Route coastDowns() {
    Route route{"coast-downs", "Coast-downs", {hold(12, 0, 0)}};
    moveOff(route, {{16, 1}, {30, 2}, {60, 3}});
    for (const double speed : {70.0, 85.0}) {
        route.legs.push_back(hold(15, speed, 3));
        route.legs.push_back(foot(18, 3, 0));
        route.legs.push_back(hold(8, 60, 3));
        route.legs.push_back(foot(20, 0, 0));
    }
    route.legs.push_back(hold(20, 0, 0));
    return route;
}

Leg rolling(double seconds, double grade, int stretch) {
    Leg leg = foot(seconds, 0, 0, grade);
    leg.rolls = true;
    leg.stretch = stretch;
    return leg;
}
Leg revving(double seconds, double rpm) {
    Leg leg = hold(seconds, 0, 0);
    leg.revs_rpm = rpm;
    return leg;
}
Leg stretched(Leg leg, int stretch) {
    leg.stretch = stretch;
    return leg;
}

/// Pulls on the road: after each the same stretch is rolled down in neutral, so that its slope can be told.
Route roadPulls(int gear) {
    const bool third = gear == 3;
    Route route{third ? "road-pulls-3" : "road-pulls-4",
                third ? "Pulls in 3rd, each with a coast-down" : "Pulls in 4th, each with a coast-down",
                {hold(12, 0, 0)}};
    moveOff(route, {{16, 1}, {30, 2}, {42, 3}});
    const double from = third ? 42 : 56;
    for (int n = 0; n < 3; ++n) {
        route.legs.push_back(hold(6, from, gear));
        route.legs.push_back(stretched(foot(third ? 9.5 : 13, gear, 1.0, 0.01), n));
        route.legs.push_back(rolling(75, 0.01, n));
    }
    route.legs.push_back(hold(8, 40, 3));
    route.legs.push_back(hold(25, 0, 0));
    return route;
}

/// At idle, what the engine has to carry besides, one after the other: compressor, headlamps, fan.
Route idleLoads() {
    Route route{"idle-loads", "Idle under loads", {hold(45, 0, 0)}};
    for (int n = 0; n < 2; ++n) {
        Leg cooled = hold(20, 0, 0);
        cooled.airConditioning = true;
        route.legs.push_back(cooled);
        route.legs.push_back(hold(20, 0, 0));
        Leg lit = hold(20, 0, 0);
        lit.lamps = true;
        route.legs.push_back(lit);
        route.legs.push_back(hold(20, 0, 0));
    }
    // A sheet of card before the radiator, until the fan starts.
    Leg covered = hold(300, 0, 0);
    covered.covered = true;
    route.legs.push_back(covered);
    route.legs.push_back(hold(60, 0, 0));
    return route;
}

/// Settled speeds without load, then short stabs.
Route neutralRevs() {
    Route route{"neutral-revs", "Revving in neutral", {hold(40, 0, 0)}};
    for (const double rpm : {1300.0, 1800.0, 2400.0, 3000.0, 3600.0})
        route.legs.push_back(revving(12, rpm));
    route.legs.push_back(hold(12, 0, 0));
    for (int n = 0; n < 3; ++n) {
        route.legs.push_back(foot(0.6, 0, 0.25));
        route.legs.push_back(hold(6, 0, 0));
    }
    return route;
}

/// From full tank to full tank, the litres told.
Route refuelling() {
    Route route{"refuelling", "From full tank to full tank", {}};
    Leg fill = hold(5, 0, 0);
    fill.refuel = true;
    route.legs.push_back(hold(10, 0, 0));
    route.legs.push_back(fill);
    moveOff(route, {{18, 1}, {35, 2}, {60, 3}, {85, 4}});
    for (const double speed : {92.0, 98.0, 92.0, 98.0})
        route.legs.push_back(sweep(220, speed, 5, 0, 0.01));
    route.legs.push_back(hold(15, 50, 3));
    route.legs.push_back(hold(20, 0, 0));
    route.legs.push_back(fill);
    route.legs.push_back(hold(10, 0, 0));
    return route;
}

/// Up a pass and down again.
Route mountain() {
    Route route{"mountain", "Over a pass", {hold(15, 0, 0)}};
    route.mountain = true;
    moveOff(route, {{16, 1}, {30, 2}});
    for (int bend = 0; bend < 10; ++bend) {
        route.legs.push_back(stretched(hold(48, 58, 3, 0.08), 0));
        route.legs.push_back(stretched(hold(10, 38, 2, 0.08), 0));
    }
    route.legs.push_back(hold(12, 0, 0));
    moveOff(route, {{16, 1}, {30, 2}});
    for (int bend = 0; bend < 10; ++bend) {
        route.legs.push_back(stretched(hold(44, 62, 3, -0.075), 1));
        route.legs.push_back(stretched(hold(10, 42, 3, -0.075), 1));
    }
    route.legs.push_back(hold(20, 0, 0));
    return route;
}

Route coldStartAt(const char* name, const char* title, double celsius) {
    Route route = coldStart();
    route.name = name;
    route.title = title;
    route.weather_C = celsius;
    return route;
}

/// A tester takes a little duty away and gives it back, full pedal, the speed held.
Route dutySteps() {
    Route route{"duty-steps", "Steps of the wastegate's duty", {hold(12, 0, 0)}};
    moveOff(route, {{18, 1}, {35, 2}, {60, 3}});
    for (const double speed : {78.0, 96.0, 118.0}) {
        route.legs.push_back(hold(8, speed, 4));
        Leg full = foot(5, 4, 1.0);
        full.speed_kmh = speed;
        full.dyno = true;
        Leg less = full;
        less.seconds = 3;
        less.dutyStep = -5;
        for (const Leg& leg : {full, less, full})
            route.legs.push_back(leg);
        route.legs.push_back(foot(10, 4, 0));
    }
    route.legs.push_back(hold(8, 50, 3));
    route.legs.push_back(hold(20, 0, 0));
    return route;
}

/// A tester asks for a richer mixture and takes it back, at several loads.
Route targetSteps() {
    Route route{"target-steps", "Steps of the lambda asked for", {hold(30, 0, 0)}};
    const auto steps = [&](Leg leg) {
        leg.seconds = 3;
        for (int n = 0; n < 4; ++n) {
            route.legs.push_back(leg);
            leg.lambdaStep = leg.lambdaStep < 0 ? 0 : -0.08;
        }
    };
    steps(hold(3, 0, 0));
    moveOff(route, {{16, 1}, {30, 2}});
    for (const auto& [speed, gear, pressure] : {std::tuple{45.0, 3, 45.0}, {60.0, 3, 70.0}, {90.0, 3, 95.0}}) {
        Leg held = hold(10, speed, gear);
        held.pressure_kPa = pressure;
        route.legs.push_back(held);
        steps(held);
    }
    route.legs.push_back(hold(8, 40, 3));
    route.legs.push_back(hold(20, 0, 0));
    return route;
}

/// The key is turned off while the car rolls, and on again.
Route keyOffAndOn() {
    Route route{"key-off-and-on", "Key off and on in mid drive", {hold(15, 0, 0)}};
    moveOff(route, {{16, 1}, {30, 2}});
    route.legs.push_back(hold(20, 50, 3));
    Leg off = rolling(4, 0, 0);
    off.keyOff = true;
    route.legs.push_back(off);
    route.legs.push_back(rolling(3, 0, 0));
    route.legs.push_back(hold(25, 45, 3));
    route.legs.push_back(hold(15, 0, 0));
    return route;
}

/// What a car does in ten hours of work: a cold start, then of everything a part, over and over.
Route mixedUse() {
    Route route{"mixed", "Ten hours of mixed use", coldStart().legs};
    route.cold = true;
    constexpr double kTenHours_s = 36000;
    const std::vector<Route> parts = {town(), hills(),  motorway(),   tipIns(),  idle(),
                                      town(), pulls(3), coastDowns(), motorway()};
    double seconds = route.seconds();
    for (size_t n = 0; seconds < kTenHours_s; ++n)
        for (const Leg& leg : parts[n % parts.size()].legs) {
            if (seconds >= kTenHours_s) break;
            route.legs.push_back(leg);
            seconds += leg.seconds;
        }
    return route;
}

}  // namespace

const std::vector<Route>& routes() {
    static const std::vector<Route> all = {survey(),
                                           town(),
                                           hills(),
                                           motorway(),
                                           idle(),
                                           coldStart(),
                                           pulls(3),
                                           pulls(4),
                                           tipIns(),
                                           coastDowns(),
                                           roadPulls(3),
                                           roadPulls(4),
                                           idleLoads(),
                                           neutralRevs(),
                                           refuelling(),
                                           mountain(),
                                           coldStartAt("cold-start-minus-10", "Cold start at -10 degC", -10),
                                           coldStartAt("cold-start-5", "Cold start at 5 degC", 5),
                                           coldStartAt("cold-start-20", "Cold start at 20 degC", 20),
                                           dutySteps(),
                                           targetSteps(),
                                           keyOffAndOn(),
                                           mixedUse()};
    return all;
}

const Route* routeNamed(std::string_view name) {
    for (const Route& route : routes())
        if (route.name == name) return &route;
    return nullptr;
}

Route visitRoute(const Build& build, std::vector<Cell> cells, double secondsEach) {
    Route route{"cells", "Chosen cells", {hold(12, 0, 0)}};
    moveOff(route, {{16, 1}, {30, 2}});
    // Speed by speed, the pressures of every other speed from the top: few large steps for car and brake.
    std::sort(cells.begin(), cells.end(), [](const Cell& a, const Cell& b) {
        return std::pair(a.speed_rpm, a.pressure_kPa) < std::pair(b.speed_rpm, b.pressure_kPa);
    });
    bool falling = false;
    for (size_t i = 0; i < cells.size();) {
        size_t end = i;
        while (end < cells.size() && cells[end].speed_rpm == cells[i].speed_rpm)
            ++end;
        if (falling)
            std::reverse(cells.begin() + static_cast<std::ptrdiff_t>(i),
                         cells.begin() + static_cast<std::ptrdiff_t>(end));
        falling = !falling;
        const double speed = roadSpeed_kmh(build, cells[i].speed_rpm, 3);
        route.legs.push_back(hold(6, speed, 3));
        for (; i < end; ++i) {
            Leg leg = hold(secondsEach, speed, 3);
            leg.pressure_kPa = cells[i].pressure_kPa;
            route.legs.push_back(leg);
        }
    }
    route.legs.push_back(hold(20, 0, 0));
    return route;
}

}  // namespace brusk::benchcar
