// Every parameter matters: each is changed in a drive where it should act, and the named effect is seen.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <map>
#include <set>

#include "Bench.h"

using namespace brusk;
using namespace brusk::benchcar;
using namespace brusk::benchcar::bench;

namespace {

using Setup = std::function<void(BenchCar&)>;

/// A drive: the car, what is prepared before it, the legs, and when to look.
struct Scenario {
    const Build* build = &kHeronStock;
    Route route;
    double from = 0, to = 0;
    Setup setup;
    std::vector<const char*> faults;
    std::function<void(BenchCar&, double t)> during;
};

std::vector<Leg> movingOff(std::initializer_list<Leg> rest) {
    std::vector<Leg> legs{
        {.seconds = 12}, {.seconds = 4, .speed_kmh = 16, .gear = 1}, {.seconds = 5, .speed_kmh = 28, .gear = 2}};
    legs.insert(legs.end(), rest);
    return legs;
}

void openLoop(BenchCar& car) {
    set(car, "loop_on", 0);
}

Setup both(Setup a, Setup b) {
    return [a, b](BenchCar& car) { a(car), b(car); };
}

Setup with(const char* name, double value) {
    return [=](BenchCar& car) { set(car, name, value); };
}
Setup moved(const char* name, double by) {
    return [=](BenchCar& car) { rework(car, name, [by](double v) { return v + by; }); };
}
Setup scaled(const char* name, double by) {
    return [=](BenchCar& car) { scale(car, name, by); };
}

Route still(double seconds) {
    return {"still", "", {{.seconds = seconds}}};
}
Route cruise(double seconds = 60) {
    return {"cruise", "",
            movingOff({{.seconds = seconds, .speed_kmh = 45, .gear = 3, .gradeFrom = 0.03, .gradeTo = 0.03}})};
}
Route climb() {
    return {"climb", "", movingOff({{.seconds = 60, .speed_kmh = 75, .gear = 3, .gradeFrom = 0.17, .gradeTo = 0.17}})};
}
Route tipIn() {
    return {"tip", "",
            movingOff({{.seconds = 12, .speed_kmh = 45, .gear = 3},
                       {.seconds = 2.5, .gear = 3, .pedal = 0.45},
                       {.seconds = 6, .gear = 3, .pedal = 0.05}})};
}
Route coast() {
    return {"coast", "",
            movingOff({{.seconds = 14, .speed_kmh = 70, .gear = 3}, {.seconds = 30, .gear = 3, .pedal = 0}})};
}
Route freeRevs() {
    return {"revs", "", {{.seconds = 12}, {.seconds = 15, .pedal = 0.6}}};
}
Route cooled(double seconds) {
    return {"ac", "", {{.seconds = 15}, {.seconds = seconds, .airConditioning = true}}};
}

const std::map<std::string, Scenario>& scenarios() {
    static const std::map<std::string, Scenario> all = [] {
        std::map<std::string, Scenario> s;
        s["idle"] = {&kHeronStock, still(40), 20, 40, openLoop, {}, {}};
        s["idle early"] = {&kHeronStock, still(20), 11, 20, openLoop, {}, {}};
        s["start"] = {&kHeronStock, still(8), 0, 4, openLoop, {}, {}};
        s["after start"] = {&kHeronStock, still(12), 5, 11, openLoop, {}, {}};
        s["start with foot"] = {&kHeronStock, {"", "", {{.seconds = 8, .pedal = 0.2}}}, 0, 4, openLoop, {}, {}};
        s["cold"] = {&kHeronStock,
                     {"", "", {{.seconds = 25}}, true},
                     3,
                     12,
                     [](BenchCar& car) {
                         openLoop(car), car.plant().setWeather({-5, 101.3});
                     },
                     {},
                     {}};
        s["cooled idle"] = {&kHeronStock, cooled(30), 25, 45, openLoop, {}, {}};
        s["hot idle"] = {
            &kHeronStock, still(40), 1, 40, [](BenchCar& car) { openLoop(car), car.plant().setCoolant(101); }, {}, {}};
        s["hot idle, second fan"] = {
            &kHeronStock,
            still(40),
            5,
            40,
            [](BenchCar& car) { openLoop(car), set(car, "fan_high_on", 95), car.plant().setCoolant(101); },
            {},
            {}};
        s["idle, air too much"] = {&kHeronStock, still(40), 20, 40, moved("idle_air", 1.2), {}, {}};
        s["idle, air too little"] = {&kHeronStock, still(40), 20, 40, moved("idle_air", -1.0), {}, {}};
        s["slow idle"] = {&kHeronStock,
                          still(40),
                          20,
                          40,
                          [](BenchCar& car) {
                              moved("idle_air", -0.9)(car), set(car, "idle_i", 0), set(car, "idle_p", 0);
                              set(car, "idle_off", 30);
                          },
                          {},
                          {}};
        s["fast idle"] = {&kHeronStock,
                          still(40),
                          20,
                          40,
                          [](BenchCar& car) {
                              moved("idle_air", 1.2)(car), set(car, "idle_i", 0), set(car, "idle_p", 0);
                              set(car, "idle_off", 30);
                          },
                          {},
                          {}};
        s["held pedal"] = {
            &kHeronStock, {"", "", {{.seconds = 12}, {.seconds = 12, .pedal = 0.025}}}, 15, 24, openLoop, {}, {}};
        s["cruise"] = {&kHeronStock, cruise(), 40, 50, openLoop, {}, {}};
        s["cruise, cooled"] = {&kHeronStock,
                               {"", "",
                                movingOff({{.seconds = 40,
                                            .speed_kmh = 45,
                                            .gear = 3,
                                            .gradeFrom = 0.03,
                                            .gradeTo = 0.03,
                                            .airConditioning = true}})},
                               35,
                               50,
                               openLoop,
                               {},
                               {}};
        s["cruise, fan"] = {
            &kHeronStock, cruise(), 35, 50, [](BenchCar& car) { set(car, "fan_on", 60), set(car, "fan_off", 50); },
            {},           {}};
        s["loop"] = {&kHeronStock, cruise(), 50, 70, scaled("injector_flow", 0.95), {}, {}};
        s["loop, nothing learned"] = {
            &kHeronStock, cruise(), 45, 60, both(scaled("injector_flow", 0.95), with("learn_limit", 0)), {}, {}};
        s["lean"] = {&kHeronStock, cruise(90), 80, 100, scaled("injector_flow", 1.36), {}, {}};
        s["rich"] = {&kHeronStock, cruise(90), 80, 100, scaled("injector_flow", 0.72), {}, {}};
        s["speed limit"] = {&kHeronStock, cruise(), 40, 60, with("speed_limit", 42), {}, {}};
        s["both models"] = {&kHeronStock, pull(), 34, 44, with("air_model", 2), {}, {}};
        s["both models, falling"] = {&kHeronStock, pull(), 50, 57, with("air_model", 2), {}, {}};
        s["meter, tip-in"] = {&kHeronStock, tipIn(), 33, 35, both(openLoop, with("air_model", 1)), {}, {}};
        s["climb"] = {&kHeronStock, climb(), 50, 62, openLoop, {}, {}};
        s["hot climb"] = {&kHeronStock, climb(), 50, 62, both(openLoop, with("protect_temp", 700)), {}, {}};
        s["load limit"] = {&kHeronStock, climb(), 40, 60, with("load_limit", 300), {}, {}};
        s["pull"] = {&kHeronStock, pull(), 34.5, 43.5, openLoop, {}, {}};
        s["pull, cut"] = {&kHeronStock, pull(), 34.5, 43.5, with("boost_cut", 130), {}, {}};
        s["knocking pull"] = {&kHeronStock, pull(), 34, 44, moved("spark_map", 8), {}, {}};
        s["two steps"] = {&kHeronStock,
                          {"", "",
                           movingOff({{.seconds = 10, .speed_kmh = 50, .gear = 3},
                                      {.seconds = 3, .gear = 3, .pedal = 0.9},
                                      {.seconds = 4, .gear = 3, .pedal = 0.7}})},
                          36,
                          37.5,
                          openLoop,
                          {},
                          {}};
        s["tip-in"] = {&kHeronStock, tipIn(), 33, 35.4, openLoop, {}, {}};
        s["cool tip-in"] = {&kHeronStock, tipIn(), 33, 35.4, openLoop, {}, [](BenchCar& car, double t) {
                                if (std::abs(t - 26) < 0.03) car.plant().setCoolant(35);
                            }};
        s["coast"] = {&kHeronStock, coast(), 35.2, 64, openLoop, {}, {}};
        s["coast, loop"] = {&kHeronStock, coast(), 35.2, 64, {}, {}, {}};
        s["revs"] = {&kHeronStock, freeRevs(), 13, 26, openLoop, {}, {}};
        s["limping revs"] = {&kHeronStock, freeRevs(), 13, 26, openLoop, {"throttle:dead"}, {}};
        s["limping"] = {&kHeronStock, cruise(), 40, 50, openLoop, {"throttle:dead"}, {}};
        s["key off hot"] = {&kHeronStock,
                            still(60),
                            22,
                            25,
                            [](BenchCar& car) { car.plant().setCoolant(103); },
                            {},
                            [](BenchCar& car, double t) {
                                if (t < 19) car.plant().setCoolant(103);
                                if (std::abs(t - 20) < 0.03) car.stopRoute();
                            }};
        s["battery read high"] = {&kHeronStock, still(40), 20, 40, scaled("battery_scale", 1.3), {}, {}};
        s["town"] = {&kHeronStock, *routeNamed("town"), 40, 60, {}, {}, {}};
        s["lift"] = {&kHeronStock, pull(), 44, 46, openLoop, {}, {}};
        s["tight"] = {&kHeronStock, *routeNamed("town"), 40, 60, with("plaus_pressure", 0.5), {}, {}};
        s["crane"] = {&kCraneStock, cruise(), 40, 50, openLoop, {}, {}};
        s["crane, lean"] = {&kCraneStock, cruise(90), 80, 100, scaled("injector_flow", 1.36), {}, {}};
        s["crane, rich"] = {&kCraneStock, cruise(90), 80, 100, scaled("injector_flow", 0.72), {}, {}};
        s["descent"] = {&kCraneStock,
                        pull(),
                        40,
                        43,
                        [](BenchCar& car) {
                            car.plant().setWeather({15, 80});
                            set(car, "baro_default", 80);
                        },
                        {},
                        [](BenchCar& car, double t) {
                            if (std::abs(t - 20) < 0.03) car.plant().setWeather({20, 101.3});
                        }};
        const auto fault = [&](const char* name, const Build* build, Route route, double from, double to,
                               std::vector<const char*> faults) {
            s[name] = {build, std::move(route), from, to, {}, std::move(faults), {}};
        };
        s["purging"] = {&kHeronStock,          cruise(40), 40, 55, both(openLoop, with("purge_pause", 1)),
                        {"canister-full=0.2"}, {}};
        fault("coolant dead", &kHeronStock, still(30), 10, 30, {"coolant:dead"});
        fault("coolant shorted", &kHeronStock, still(30), 10, 30, {"coolant:scaled=0"});
        fault("intake dead", &kHeronStock, still(30), 10, 30, {"intake:dead"});
        fault("intake shorted", &kHeronStock, still(30), 10, 30, {"intake:scaled=0"});
        fault("pressure dead", &kHeronStock, cruise(), 40, 50, {"pressure:dead"});
        fault("pressure high", &kHeronStock, still(30), 10, 30, {"pressure:offset=5"});
        fault("meter dead", &kHeronStock, cruise(), 40, 50, {"meter:dead"});
        fault("meter high", &kHeronStock, still(30), 10, 30, {"meter:offset=20"});
        fault("meter wrong", &kHeronStock, cruise(), 40, 50, {"meter:scaled=0.6"});
        fault("no air sensors", &kHeronStock, cruise(), 40, 50, {"meter:dead", "pressure:dead"});
        fault("throttle high", &kHeronStock, still(30), 10, 30, {"throttle:offset=5"});
        fault("throttle dead", &kHeronStock, still(30), 10, 30, {"throttle:dead"});
        fault("pedal dead", &kHeronStock, still(30), 10, 30, {"pedal:dead"});
        fault("pedal high", &kHeronStock, still(30), 10, 30, {"pedal:offset=5"});
        fault("narrowband dead", &kHeronStock, cruise(110), 100, 120, {"narrowband:dead"});
        fault("crane, narrowband 2 dead", &kCraneStock, cruise(110), 100, 120, {"narrowband-2:dead"});
        fault("gate open", &kHeronStock, pull(), 34, 44, {"wastegate-stuck=1"});
        fault("knock dead", &kHeronStock, cruise(), 40, 50, {"knock:dead"});
        fault("weak battery", &kHeronStock, still(30), 15, 30, {"low-battery"});
        fault("wheel dead", &kHeronStock, cruise(), 40, 50, {"wheel:dead"});
        return s;
    }();
    return all;
}

enum Stat { Mean, Most, Least, Last };

double channel(BenchCar& car, const std::string& name) {
    const TrueState& s = car.plant().state();
    if (name == "true lambda") return std::min(s.lambda, 2.0);
    if (name == "true rpm") return s.speed_rpm;
    if (name == "true pressure") return s.pressure_kPa;
    if (name == "true speed") return s.vehicle_kmh;
    if (name == "true misfire") return s.misfire;
    if (name == "true knock") return static_cast<double>(s.knockMoments);
    if (name.rfind("code ", 0) == 0)
        return codeStatus(car, static_cast<uint32_t>(std::stoul(name.substr(5), nullptr, 16)) << 8) & status::kConfirmed
                   ? 1
                   : 0;
    return seen(car, name);
}

double measure(const std::string& scenario, const std::string& what, Stat stat, const Setup& change) {
    const Scenario& s = scenarios().at(scenario);
    BenchCar car(*s.build, 1);
    for (const char* fault : s.faults)
        if (!addFault(car.faults(), fault)) qFatal("%s", fault);
    if (s.setup) s.setup(car);
    if (change) change(car);
    car.controller().clearCodes();  // what was learned begins with the changed numbers
    car.startRoute(s.route);
    double sum = 0, most = -1e12, least = 1e12, last = 0;
    int n = 0;
    for (double t = 0; t < s.to; t += 0.05) {
        if (s.during) s.during(car, t);
        run(car, 0.05);
        if (t < s.from) continue;
        last = channel(car, what);
        sum += last, ++n;
        most = std::max(most, last);
        least = std::min(least, last);
    }
    return stat == Mean ? sum / n : stat == Most ? most : stat == Least ? least : last;
}

/// A parameter, how it is changed, where, and what must move by at least so much (the sign says which way; `Any`:
/// either).
struct Effect {
    const char* parameter;
    char how;  ///< '=' set, '*' scale, '+' move
    double amount;
    const char* scenario;
    const char* channel;
    Stat stat;
    double moves;
    bool anyWay = false;
};

const Effect kEffects[] = {
    {"purge_on", '=', 0, "purging", "true lambda", Mean, 0.02},
    {"purge_coolant", '=', 120, "purging", "true lambda", Mean, 0.02},
    {"purge_time", '=', 0.2, "purging", "purge_duty_now", Mean, -5},
    {"purge_pause", '=', 600, "purging", "true lambda", Mean, 0.02},
    {"purge_pressure_most", '=', 20, "purging", "true lambda", Mean, 0.02},
    {"purge_duty", '*', 0.5, "purging", "true lambda", Mean, 0.01},
    {"map_sensor_slope", '*', 1.05, "cruise", "true lambda", Mean, -0.02},
    {"map_sensor_offset", '+', 3, "cruise", "true lambda", Mean, -0.01},
    {"map_filter", '=', 2, "tip-in", "true lambda", Most, 0.05},
    {"maf_filter", '=', 0.5, "tip-in", "maf_flow", Most, -5},
    {"pedal_filter", '=', 0.4, "tip-in", "pedal", Most, -5},
    {"temperature_filter", '=', 0, "pull", "intake_temp", Most, -0.5},
    {"throttle_closed", '+', 0.3, "cruise", "throttle", Mean, -1},
    {"throttle_open", '+', -0.8, "cruise", "throttle", Mean, 1},
    {"pedal_closed", '+', 0.2, "tip-in", "pedal", Mean, -1},
    {"pedal_open", '+', -1, "tip-in", "pedal", Mean, 1},
    {"battery_scale", '*', 0.9, "idle", "battery", Mean, -0.5},
    {"coolant_default", '=', 20, "coolant dead", "coolant", Mean, -20},
    {"intake_default", '=', 90, "intake dead", "intake_temp", Mean, 20},
    {"baro_default", '=', 70, "pressure dead", "baro", Mean, -10},
    {"baro_throttle", '=', 101, "descent", "baro", Last, -10},
    {"baro_filter", '=', 0, "descent", "baro", Last, -1},
    {"wheel_pulses", '*', 1.2, "cruise", "vehicle_speed", Mean, -3},
    {"gear_ratio", '*', 1.5, "cruise", "gear", Mean, 0.5, true},
    {"gear_tolerance", '=', 0, "cruise", "gear", Mean, -1},
    {"coolant_sensor", '+', 10, "cruise", "coolant", Mean, 8},
    {"intake_sensor", '+', 10, "cruise", "intake_temp", Mean, 8},
    {"maf_curve", '*', 1.1, "cruise", "maf_flow", Mean, 1},
    {"axis_speed", '*', 1.2, "cruise", "ve_used", Mean, 0.1, true},
    {"axis_pressure", '*', 1.2, "cruise", "ve_used", Mean, 0.1, true},
    {"axis_load", '*', 1.3, "climb", "spark", Mean, 0.5, true},
    {"displacement", '*', 1.05, "cruise", "true lambda", Mean, -0.03},
    {"cylinders", '=', 5, "cruise", "true lambda", Mean, 0.1},
    {"banks", '=', 1, "crane", "pulse_2", Mean, -500},
    {"air_model", '=', 1, "cruise", "air_source", Mean, 0.5},
    {"changeover_on", '=', 2000, "both models", "changeover_share", Mean, 5},
    {"changeover_off", '=', 500, "both models, falling", "changeover_share", Mean, 5},
    {"changeover_time", '=', 4, "both models", "changeover_share", Mean, -3},
    {"air_fallback", '=', 0, "pressure dead", "air_source", Mean, -0.5},
    {"meter_fill", '=', 2, "meter, tip-in", "true lambda", Most, 0.05},
    {"charge_blend", '=', 0, "cruise", "true lambda", Mean, -0.02},
    {"ve_baro", '*', 1.1, "cruise", "true lambda", Mean, -0.05},
    {"ve_map", '*', 1.05, "cruise", "true lambda", Mean, -0.03},
    {"meter_correction", '*', 1.1, "cruise", "air_meter", Mean, 5},
    {"throttle_air", '*', 1.2, "no air sensors", "air_per_cylinder", Mean, 10, true},
    {"stoich", '*', 0.95, "cruise", "true lambda", Mean, -0.03},
    {"injector_flow", '*', 0.9, "cruise", "true lambda", Mean, -0.05},
    {"fuel_density", '*', 0.9, "cruise", "true lambda", Mean, -0.05},
    {"min_pulse", '=', 3000, "idle", "true lambda", Mean, -0.1},
    {"duty_limit", '=', 25, "pull", "true lambda", Mean, 0.05},
    {"dead_time", '+', 300, "idle", "true lambda", Mean, -0.05},
    {"small_pulse", '+', 300, "idle", "true lambda", Mean, -0.05},
    {"bank_trim", '=', 10, "crane", "true lambda", Mean, -0.05},
    {"crank_fuel", '*', 0.3, "start", "true rpm", Mean, -50},
    {"crank_fade", '*', 0.3, "start", "true rpm", Mean, -50},
    {"flood_pedal", '=', 5, "start with foot", "true rpm", Mean, -200},
    {"warm_up", '=', 0, "cold", "true lambda", Mean, 0.1},
    {"warm_up_load", '=', 0, "cold", "true lambda", Mean, 0.1},
    {"after_start", '=', 0, "cold", "true lambda", Mean, 0.02},
    {"after_start_decay", '=', 1, "cold", "true lambda", Mean, 0.02},
    {"lambda_map", '*', 0.9, "cruise", "true lambda", Mean, -0.05},
    {"full_load_on", '=', 0, "pull", "true lambda", Mean, 0.01},
    {"full_load_pedal", '=', 110, "pull", "true lambda", Mean, 0.01},
    {"full_load_return", '=', 72, "two steps", "full_load_state", Last, -0.5},
    {"full_load_pressure", '=', 300, "pull", "true lambda", Mean, 0.01},
    {"full_load_speed", '=', 7000, "pull", "true lambda", Mean, 0.01},
    {"full_load_delay", '=', 8, "pull", "true lambda", Mean, 0.005},
    {"full_load_ramp", '=', 0.003, "pull", "true lambda", Mean, 0.005},
    {"full_load_lambda", '*', 0.9, "pull", "true lambda", Mean, -0.02},
    {"protect_temp", '=', 500, "climb", "true lambda", Mean, -0.02},
    {"protect_gain", '=', 0, "hot climb", "true lambda", Mean, 0.02},
    {"protect_least", '=', 0.98, "hot climb", "true lambda", Mean, 0.02},
    {"exhaust_model", '+', 300, "cruise", "exhaust_temp_model", Mean, 100},
    {"exhaust_time", '=', 60, "pull", "exhaust_temp_model", Most, -20},
    {"film_on", '=', 0, "cool tip-in", "true lambda", Most, 0.02},
    {"film_share", '=', 0, "cool tip-in", "true lambda", Most, 0.02},
    {"film_time", '*', 3, "cool tip-in", "film_mass", Mean, 0.01},
    {"film_pressure", '*', 2, "cool tip-in", "film_mass", Mean, 0.01},
    {"cut_begins", '=', 6000, "coast", "fuel_cut", Mean, -0.1},
    {"cut_ends", '=', 1690, "coast", "fuel_cut", Mean, -0.01},
    {"cut_pedal", '=', 0, "coast", "fuel_cut", Mean, -0.1},
    {"cut_delay", '=', 4, "lift", "fuel_cut", Mean, -0.3},
    {"cut_cold", '=', 3000, "coast", "fuel_cut", Mean, -0.1},
    {"cut_return", '=', 40, "coast", "cut_return_now", Most, 10},
    {"cut_return_decay", '=', 6, "coast", "cut_return_now", Mean, 0.03},
    {"loop_on", '=', 0, "loop", "loop_state", Mean, 0.5},
    {"loop_coolant", '=', 115, "loop", "loop_state", Mean, 0.5},
    {"loop_wait", '=', 600, "loop", "loop_state", Mean, 0.5},
    {"loop_jump", '*', 5, "loop", "short_trim", Most, 0.5},
    {"loop_ramp", '*', 5, "loop", "short_trim", Most, 0.3},
    {"loop_limit", '=', 1, "loop, nothing learned", "short_trim", Mean, 2},
    {"loop_volts", '=', 0.8, "loop", "true lambda", Mean, -0.005},
    {"loop_bias", '=', 0.8, "loop", "true lambda", Mean, -0.001},
    {"loop_pressure_most", '=', 30, "loop", "loop_state", Mean, 0.5},
    {"loop_speed_most", '=', 1000, "loop", "loop_state", Mean, 0.5},
    {"loop_after_cut", '=', 20, "coast, loop", "loop_state", Mean, 0.02},
    {"learn_on", '=', 0, "loop", "long_trim", Mean, 1},
    {"learn_coolant", '=', 115, "loop", "long_trim", Mean, 1},
    {"learn_limit", '=', 1, "loop", "long_trim", Mean, 1},
    {"learn_rate", '=', 0.1, "loop", "long_trim", Mean, 1},
    {"learn_borders", '*', 0.05, "cruise", "learn_zone", Mean, 0.5},
    {"spark_map", '+', -5, "cruise", "spark", Mean, -3},
    {"spark_octane", '=', 0, "pull", "spark", Mean, -1},
    {"octane_start", '=', 0, "cruise", "octane_factor", Mean, -30},
    {"octane_down", '=', 0, "knocking pull", "octane_factor", Last, 3},
    {"octane_up", '=', 0, "climb", "octane_factor", Mean, -3},
    {"octane_load", '=', 1300, "knocking pull", "octane_factor", Last, 3},
    {"spark_charge", '+', -5, "climb", "spark", Mean, -2},
    {"spark_charge_load", '=', 0, "pull", "spark_charge_part", Least, 0.5},
    {"spark_coolant", '+', 5, "cruise", "spark", Mean, 3},
    {"spark_lambda", '+', 5, "cruise", "spark", Mean, 3},
    {"spark_idle", '+', 8, "idle", "spark", Mean, 4},
    {"spark_idle_gain", '=', 0, "idle", "spark_idle_part", Most, -0.1},
    {"spark_idle_limit", '=', 0, "idle", "spark_idle_part", Most, -0.1},
    {"spark_crank", '=', -10, "start", "spark", Least, -5},
    {"spark_least", '=', 20, "idle", "spark", Mean, 4},
    {"spark_most", '=', 10, "cruise", "spark", Mean, -5},
    {"spark_rate", '=', 0.1, "lift", "spark", Mean, -1},
    {"dwell", '*', 0.5, "cruise", "true misfire", Mean, 0.1},
    {"knock_on", '=', 0, "knocking pull", "true knock", Last, 20},
    {"knock_threshold", '*', 4, "knocking pull", "true knock", Last, 20},
    {"knock_step", '=', 0, "knocking pull", "true knock", Last, 20},
    {"knock_decay", '=', 20, "knocking pull", "knock_retard", Mean, -0.3},
    {"knock_limit", '=', 1, "knocking pull", "knock_retard", Most, -0.5},
    {"knock_load", '=', 1300, "pull", "knock_active", Mean, -0.3},
    {"knock_speed", '=', 7000, "pull", "knock_active", Mean, -0.3},
    {"knock_coolant", '=', 119, "pull", "knock_active", Mean, -0.3},
    {"knock_fallback", '=', 15, "knock dead", "knock_retard", Mean, 5},
    {"boost_on", '=', 0, "pull", "wastegate_duty", Mean, -2},
    {"boost_target", '+', 20, "pull", "true pressure", Most, 8},
    {"boost_gear", '*', 0.7, "pull", "boost_target_now", Most, -8},
    {"wastegate", '+', 20, "pull", "boost_base_duty", Mean, 10},
    {"boost_p", '*', 6, "pull", "boost_p_part", Most, 2},
    {"boost_i", '*', 5, "pull", "boost_i_part", Most, 0.5, true},
    {"boost_d", '*', 8, "pull", "boost_d_part", Least, -2},
    {"boost_i_limit", '=', 0, "pull", "boost_i_part", Most, -0.3},
    {"boost_i_window", '=', 0, "pull", "boost_i_part", Most, -0.3},
    {"boost_spool", '=', 4, "pull", "wastegate_duty", Most, 10},
    {"boost_charge", '*', 0.6, "pull", "boost_target_now", Most, -8},
    {"boost_altitude", '*', 0.55, "pull", "boost_target_now", Most, -8},
    {"boost_duty_most", '=', 5, "pull", "wastegate_duty", Most, -2},
    {"boost_pedal", '=', 110, "pull", "wastegate_duty", Mean, -2},
    {"boost_cut", '=', 130, "pull", "boost_cut_now", Mean, 0.02},
    {"boost_cut_return", '=', 60, "pull, cut", "boost_cut_now", Mean, 0.03},
    {"boost_cut_delay", '=', 2.5, "pull, cut", "boost_cut_now", Mean, -0.03},
    {"idle_speed", '+', 200, "idle", "true rpm", Mean, 150},
    {"idle_air", '+', 1, "idle", "idle_learned", Last, -0.3},
    {"idle_p", '=', 0, "idle", "idle_p_part", Most, -0.02},
    {"idle_i", '=', 0, "idle, air too much", "true rpm", Mean, 10},
    {"idle_p_limit", '=', 0, "idle", "idle_p_part", Most, -0.02},
    {"idle_i_most", '=', 0, "idle, air too little", "true rpm", Mean, -10},
    {"idle_i_least", '=', 0, "idle, air too much", "true rpm", Mean, 10},
    {"idle_gear_rise", '=', 500, "cruise", "idle_target", Mean, 300},
    {"idle_ac_rise", '=', 300, "cooled idle", "idle_target", Mean, 200},
    {"idle_battery_volts", '=', 16, "idle", "idle_target", Mean, 50},
    {"idle_battery_rise", '=', 500, "weak battery", "idle_target", Mean, 200},
    {"idle_air_ac", '=', 4, "cooled idle", "idle_load_part", Mean, 2},
    {"idle_air_fan", '=', 3, "hot idle", "idle_load_part", Most, 1},
    {"idle_pedal", '=', 20, "held pedal", "idle_active", Mean, 0.3},
    {"idle_enter", '=', 0, "idle", "idle_active", Mean, -0.1},
    {"idle_learn_rate", '=', 0, "idle, air too much", "idle_learned", Last, 0.3},
    {"idle_learn_limit", '=', 0.05, "idle, air too much", "idle_learned", Last, 0.3},
    {"idle_dashpot", '=', 90, "coast", "idle_dashpot_now", Most, 1},
    {"idle_dashpot_decay", '=', 0.1, "coast", "idle_dashpot_now", Mean, 0.2},
    {"idle_start_air", '=', 5, "start", "idle_air_now", Most, 1},
    {"idle_start_decay", '=', 60, "after start", "idle_integral", Mean, -0.05},
    {"idle_crank_air", '=', 20, "start", "idle_air_now", Most, 5},
    {"pedal_map", '*', 0.5, "tip-in", "torque_request", Most, -15},
    {"torque_ceiling", '=', 60, "pull", "torque_request", Most, -50},
    {"torque_gear", '*', 0.4, "pull", "torque_request", Most, -50},
    {"torque_rise", '=', 10, "tip-in", "torque_request", Most, -8},
    {"torque_fall", '=', 10, "coast", "torque_request", Mean, 1},
    {"torque_loss", '+', 20, "cruise", "torque_actual", Mean, -10},
    {"torque_loss_cold", '+', 20, "cruise", "torque_actual", Mean, -10},
    {"air_for_torque", '*', 0.7, "tip-in", "air_wanted", Most, -50},
    {"torque_for_air", '*', 0.8, "cruise", "torque_actual", Mean, -5},
    {"throttle_for_air", '*', 0.6, "tip-in", "throttle_target", Most, -3},
    {"rev_limit", '=', 4000, "revs", "true rpm", Most, -1000},
    {"rev_return", '=', 1500, "revs", "true rpm", Mean, -100},
    {"rev_cold", '=', 3000, "revs", "true rpm", Most, -1000},
    {"speed_limit", '=', 30, "cruise", "limit_active", Most, 3},
    {"speed_return", '=', 15, "speed limit", "true speed", Least, -2},
    {"load_limit", '=', 200, "climb", "limit_active", Most, 3},
    {"load_delay", '=', 10, "load limit", "limit_active", Mean, -0.2},
    {"limp_throttle", '=', 60, "limping", "throttle_most", Mean, 20},
    {"limp_revs", '=', 1500, "limping revs", "rev_limit_now", Most, -1000},
    {"fan_on", '=', 120, "hot idle", "fan", Mean, -0.05},
    {"fan_off", '=', 60, "hot idle", "fan", Mean, 0.3},
    {"fan_high_on", '=', 92, "hot idle", "fan_high", Most, 0.5},
    {"fan_high_off", '=', 60, "hot idle, second fan", "fan_high", Mean, 0.2},
    {"fan_ac", '=', 0, "cooled idle", "fan", Mean, -0.5},
    {"fan_speed_cut", '=', 10, "cruise, fan", "fan", Mean, -0.5},
    {"fan_run_on", '=', 5, "key off hot", "fan_run_on_left", Most, -20},
    {"fan_run_on_coolant", '=', 125, "key off hot", "fan_run_on_left", Most, -20},
    {"ac_cut_pedal", '=', 5, "cruise, cooled", "ac_on", Mean, -0.5},
    {"ac_least_speed", '=', 3000, "cooled idle", "ac_on", Mean, -0.5},
    {"ac_return", '=', 60, "cooled idle", "ac_on", Mean, -0.3},
    {"ac_cut_coolant", '=', 50, "cooled idle", "ac_on", Mean, -0.5},
    {"diag_plausibility", '=', 0, "tight", "code 0068", Last, -1},
    {"diag_maf_range", '=', 0, "meter wrong", "code 0101", Last, -1},
    {"diag_maf_low", '=', 0, "meter dead", "code 0102", Last, -1},
    {"diag_maf_high", '=', 0, "meter high", "code 0103", Last, -1},
    {"diag_map_low", '=', 0, "pressure dead", "code 0107", Last, -1},
    {"diag_map_high", '=', 0, "pressure high", "code 0108", Last, -1},
    {"diag_intake_low", '=', 0, "intake shorted", "code 0112", Last, -1},
    {"diag_intake_high", '=', 0, "intake dead", "code 0113", Last, -1},
    {"diag_coolant_low", '=', 0, "coolant shorted", "code 0117", Last, -1},
    {"diag_coolant_high", '=', 0, "coolant dead", "code 0118", Last, -1},
    {"diag_throttle_low", '=', 0, "throttle dead", "code 0122", Last, -1},
    {"diag_throttle_high", '=', 0, "throttle high", "code 0123", Last, -1},
    {"diag_pedal_low", '=', 0, "pedal dead", "code 2122", Last, -1},
    {"diag_pedal_high", '=', 0, "pedal high", "code 2123", Last, -1},
    {"diag_narrowband_quiet", '=', 0, "narrowband dead", "code 0134", Last, -1},
    {"diag_narrowband_2_quiet", '=', 0, "crane, narrowband 2 dead", "code 0154", Last, -1},
    {"diag_lean", '=', 0, "lean", "code 0171", Last, -1},
    {"diag_rich", '=', 0, "rich", "code 0172", Last, -1},
    {"diag_lean_2", '=', 0, "crane, lean", "code 0174", Last, -1},
    {"diag_rich_2", '=', 0, "crane, rich", "code 0175", Last, -1},
    {"diag_overboost", '=', 0, "pull, cut", "code 0234", Last, -1},
    {"diag_underboost", '=', 0, "gate open", "code 0299", Last, -1},
    {"diag_knock", '=', 0, "knock dead", "code 0327", Last, -1},
    {"diag_idle_low", '=', 0, "slow idle", "code 0506", Last, -1},
    {"diag_idle_high", '=', 0, "fast idle", "code 0507", Last, -1},
    {"diag_battery_low", '=', 0, "weak battery", "code 0562", Last, -1},
    {"diag_battery_high", '=', 0, "battery read high", "code 0563", Last, -1},
    {"diag_wheel", '=', 0, "wheel dead", "code 0500", Last, -1},
    {"limp_on", '=', 0, "limping", "limp_mode", Last, -1},
    {"code_time", '=', 60, "coolant dead", "code 0118", Last, -1},
    {"substitute_time", '=', 60, "coolant dead", "substitutes", Last, -1},
    {"diag_low_volts", '=', 3, "idle", "code 0107", Last, 1},
    {"diag_high_volts", '=', 0.2, "idle", "code 0108", Last, 1},
    {"maf_least", '=', 14000, "idle", "code 0102", Last, 1},
    {"maf_most", '=', 1000, "idle", "code 0103", Last, 1},
    {"intake_least_volts", '=', 4.9, "idle", "code 0112", Last, 1},
    {"intake_most_volts", '=', 0.1, "idle", "code 0113", Last, 1},
    {"coolant_least_volts", '=', 4.9, "idle", "code 0117", Last, 1},
    {"coolant_most_volts", '=', 0.1, "idle", "code 0118", Last, 1},
    {"throttle_least_volts", '=', 4.9, "idle", "code 0122", Last, 1},
    {"throttle_most_volts", '=', 0.1, "idle", "code 0123", Last, 1},
    {"pedal_least_volts", '=', 4.9, "idle", "code 2122", Last, 1},
    {"pedal_most_volts", '=', 0.1, "idle", "code 2123", Last, 1},
    {"narrowband_quiet_time", '=', 600, "narrowband dead", "code 0134", Last, -1},
    {"diag_trim", '=', 60, "rich", "code 0172", Last, -1},
    {"boost_under", '=', 200, "gate open", "code 0299", Last, -1},
    {"knock_quiet", '=', 4, "cruise", "code 0327", Last, 1},
    {"idle_off", '=', 2000, "fast idle", "code 0507", Last, -1},
    {"battery_least", '=', 18, "idle", "code 0562", Last, 1},
    {"battery_most", '=', 5, "idle", "code 0563", Last, 1},
    {"expected_pressure", '+', 100, "cruise", "code 0068", Last, 1},
    {"plaus_pressure", '=', 0.5, "town", "code 0068", Last, 1},
    {"plaus_throttle", '=', 0, "tight", "code 0068", Last, -1},
    {"plaus_time", '=', 60, "tight", "code 0068", Last, -1},
    {"plaus_airflow", '=', 0, "cruise", "code 0101", Last, 1},
};

/// Texts act when somebody asks for them.
const char* const kTexts[] = {"calibration_id", "tuner_note"};

Setup changeOf(const Effect& e) {
    switch (e.how) {
        case '=':
            return with(e.parameter, e.amount);
        case '*':
            return scaled(e.parameter, e.amount);
        default:
            return moved(e.parameter, e.amount);
    }
}

}  // namespace

class EveryParameterTest : public QObject {
    Q_OBJECT
  private slots:
    void noParameterIsForgotten();
    void everyParameterMatters_data();
    void everyParameterMatters();
    void textsAreToldWhenAskedFor();

  private:
    std::map<std::string, double> before_;  ///< the unchanged drives, each driven once
};

void EveryParameterTest::noParameterIsForgotten() {
    std::set<std::string_view> covered(std::begin(kTexts), std::end(kTexts));
    for (const Effect& e : kEffects)
        QVERIFY2(covered.insert(e.parameter).second, e.parameter);
    for (const Item* item : allParameters())
        QVERIFY2(covered.count(item->name), std::string(item->name).c_str());
    QCOMPARE(covered.size(), allParameters().size());
}

void EveryParameterTest::everyParameterMatters_data() {
    QTest::addColumn<int>("index");
    for (size_t i = 0; i < std::size(kEffects); ++i)
        QTest::newRow(kEffects[i].parameter) << static_cast<int>(i);
}

void EveryParameterTest::everyParameterMatters() {
    QFETCH(int, index);
    const Effect& e = kEffects[index];
    const std::string key = std::string(e.scenario) + "/" + e.channel + "/" + std::to_string(e.stat);
    if (!before_.count(key)) before_[key] = measure(e.scenario, e.channel, e.stat, {});
    const double before = before_[key], after = measure(e.scenario, e.channel, e.stat, changeOf(e));
    const double moved = after - before;
    const bool seen = e.anyWay      ? std::abs(moved) >= std::abs(e.moves)
                      : e.moves > 0 ? moved >= e.moves
                                    : moved <= e.moves;
    QVERIFY2(seen, qPrintable(QString("%1 in \"%2\": %3 from %4 to %5, expected to move by %6")
                                  .arg(e.parameter, e.scenario, e.channel)
                                  .arg(before)
                                  .arg(after)
                                  .arg(e.moves)));
}

void EveryParameterTest::textsAreToldWhenAskedFor() {
    for (const auto& [name, did] : {std::pair{"calibration_id", uint8_t{0x89}}, {"tuner_note", uint8_t{0x0B}}}) {
        BenchCar car(kHeronStock, 1);
        rework(car, name, [](double) { return 'Q'; });
        can::CanFrame ask;
        ask.id = 0x7E0;
        ask.length = 8;
        ask.data = {0x03, 0x22, static_cast<uint8_t>(did == 0x89 ? 0xF1 : 0xFD), did};
        car.receive(ask);
        car.advanceTo(car.now_us() + 1000);
        // The first frame of the answer: its fourth data byte on is the text.
        std::optional<can::CanFrame> frame;
        for (auto next = car.nextFrame(); next; next = car.nextFrame())
            if (next->id == 0x7E8) frame = next;
        QVERIFY2(frame && frame->data[0] >> 4 == 1 && frame->data[5] == 'Q' && frame->data[7] == 'Q', name);
    }
}

QTEST_APPLESS_MAIN(EveryParameterTest)
#include "EveryParameterTest.moc"
