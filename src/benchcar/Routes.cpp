// The scripted drives. Speeds and slopes are chosen so that together they visit most of the map a street sees.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "benchcar/Plant.h"

namespace brusk::benchcar {
namespace {

Leg hold(double seconds, double speed_kmh, int gear, double grade = 0) {
    return {seconds, speed_kmh, gear, grade, grade, -1};
}
Leg sweep(double seconds, double speed_kmh, int gear, double from, double to) {
    return {seconds, speed_kmh, gear, from, to, -1};
}

/// Every speed of a ladder in 3rd and 4th, the road tilting slowly from downhill to a steep climb and back.
Route survey() {
    Route route{"survey", "Survey of the map", {hold(14, 0, 0)}};
    route.legs.push_back(hold(26, 0, 0));
    route.legs.push_back(hold(5, 14, 1));
    route.legs.push_back(hold(5, 24, 2));
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
        route.legs.push_back(hold(4, 15, 1));
        route.legs.push_back(hold(6, 28, 2));
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
    Route route{
        "motorway", "Motorway", {hold(10, 0, 0), hold(4, 18, 1), hold(5, 35, 2), hold(7, 60, 3), hold(8, 85, 4)}};
    for (const double speed : {100.0, 115.0, 130.0, 110.0}) {
        route.legs.push_back(hold(20, speed, 5));
        route.legs.push_back(sweep(16, speed, 5, 0, 0.04));
        route.legs.push_back(sweep(12, speed, 5, 0.04, 0));
    }
    return route;
}

}  // namespace

const std::vector<Route>& routes() {
    static const std::vector<Route> all = {survey(), town(), hills(), motorway(),
                                           Route{"idle", "Idle", {hold(60, 0, 0)}}};
    return all;
}

const Route* routeNamed(std::string_view name) {
    for (const Route& route : routes())
        if (route.name == name) return &route;
    return nullptr;
}

}  // namespace brusk::benchcar
