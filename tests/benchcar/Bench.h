// What the bench car's tests share: letting time pass, reading measurements and changing parameters by name.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cmath>
#include <deque>
#include <functional>
#include <string>

#include "Expect.h"
#include "benchcar/BenchCar.h"
#include "benchcar/cars/Factory.h"
#include "benchcar/cars/WrongPart.h"

namespace brusk::benchcar::bench {

inline void run(BenchCar& car, double seconds) {
    const int64_t until = car.now_us() + static_cast<int64_t>(seconds * 1e6);
    while (car.now_us() < until) {
        car.advanceTo(std::min(until, car.now_us() + 10000));
        while (car.nextFrame()) {
        }
    }
}

/// Runs and calls `look` every 50 ms.
template <class F>
void watch(BenchCar& car, double seconds, F look) {
    for (double t = 0; t < seconds; t += 0.05) {
        run(car, 0.05);
        look();
    }
}

/// A measurement by its name, physical.
inline double seen(BenchCar& car, std::string_view name) {
    const Item* item = measurementNamed(name);
    if (!item) qFatal("no measurement %s", std::string(name).c_str());
    return static_cast<double>(car.memory().seen(*item)) * item->perCount + item->offset;
}

/// Changes every stored number of a parameter.
inline void rework(BenchCar& car, std::string_view name, const std::function<double(double physical)>& change) {
    const Item* item = parameterNamed(name);
    if (!item) qFatal("no parameter %s", std::string(name).c_str());
    benchcar::rework(car.memory(), *item, change);
}
inline void set(BenchCar& car, std::string_view name, double physical) {
    rework(car, name, [&](double) { return physical; });
}
inline void scale(BenchCar& car, std::string_view name, double factor) {
    rework(car, name, [&](double v) { return v * factor; });
}

/// A route that gets moving and then holds one thing.
inline Route holding(double speed_kmh, int gear, double grade) {
    Route route{"test", "test", {{.seconds = 12}}};
    if (gear == 0) {
        route.legs = {{.seconds = 2000}};
        return route;
    }
    route.legs.push_back({.seconds = 4, .speed_kmh = 16, .gear = 1});
    route.legs.push_back({.seconds = 5, .speed_kmh = 28, .gear = 2});
    route.legs.push_back({.seconds = 2000, .speed_kmh = speed_kmh, .gear = gear, .gradeFrom = grade, .gradeTo = grade});
    return route;
}

/// The pull that most tests of full load drive: 3rd gear, pedal down from 34.5 s to 44 s.
inline const Route& pull() {
    return *routeNamed("pulls-3");
}

/// Lambda as it truly is, averaged over a while.
inline double meanLambda(BenchCar& car, double seconds) {
    double sum = 0;
    int n = 0;
    watch(car, seconds, [&] { sum += 1 / car.plant().state().lambda, ++n; });
    return n / sum;
}

inline uint8_t codeStatus(BenchCar& car, uint32_t code) {
    for (const StoredCode& c : car.controller().codes())
        if (c.code == code) return c.status;
    qFatal("no code %06x", code);
}

/// The calibration that is right for the parts that are fitted.
inline void calibrateRightly(BenchCar& car) {
    const Build& build = car.plant().build();
    writeCalibration(car.memory(), build, wishesFor(modelOf(build), build));
    car.powerCycle();
}

/// From turning the key until the engine runs by itself, at most 30.
inline double secondsToStart(BenchCar& car) {
    car.startRoute(holding(0, 0, 0));
    for (double t = 0; t < 30; t += 0.05) {
        run(car, 0.05);
        if (car.plant().state().speed_rpm > 600 && car.plant().state().runTime_s > 0.5) return t;
    }
    return 30;
}

/// Where the heat of the fuel went in 20 s, joules.
struct HeatBalance {
    double fuel = 0, work = 0, coolant = 0, exhaust = 0, unburnt = 0;
    double missing() const { return (fuel - work - coolant - exhaust - unburnt) / fuel; }
};
inline HeatBalance heatOf(BenchCar& car) {
    HeatBalance out;
    watch(car, 20, [&] {
        const TrueState& s = car.plant().state();
        out.fuel += s.fuelFlow_gs / 1000 * blendHeat_Jkg(car.plant().build().fuel.ethanol);
        out.work += s.work_W;
        out.coolant += s.coolantHeat_W;
        out.unburnt += s.unburnt_W;
        // What leaves with the gas, from its own temperature and flow.
        out.exhaust +=
            (s.airflow_gs + s.fuelFlow_gs) / 1000 * turbo::kGasHeat_JkgK * (s.exhaust_C + 273.15 - s.chargeTemp_K);
    });
    return out;
}

/// The best of a pull, means of half a second: single cycles scatter.
struct FullLoad {
    double torque_Nm = 0, at_rpm = 0, pressure_kPa = 0;  ///< brake mean effective pressure
};
inline FullLoad fullLoadOf(BenchCar& car) {
    car.startRoute(pull());
    run(car, 34);
    FullLoad out;
    double sum = 0;
    int n = 0;
    watch(car, 9.5, [&] {
        sum += car.plant().state().torque_Nm;
        if (++n % 10) return;
        if (sum / 10 > out.torque_Nm) out.torque_Nm = sum / 10, out.at_rpm = car.plant().state().speed_rpm;
        sum = 0;
    });
    out.pressure_kPa = out.torque_Nm * 4 * M_PI / car.plant().build().engine.displacement_m3 / 1000;
    return out;
}

}  // namespace brusk::benchcar::bench
