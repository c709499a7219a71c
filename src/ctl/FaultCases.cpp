// Sizes, roads and truth rules of each fault.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "ctl/FaultCases.h"

#include <algorithm>
#include <cmath>

namespace brusk::ctl {

Known::Known(const recording::Recording& truth, double from_s, double to_s) : truth_(truth) {
    const auto& time = truth.groups.at(0).time_s.times();
    begin_ = static_cast<size_t>(std::lower_bound(time.begin(), time.end(), from_s) - time.begin());
    end_ = static_cast<size_t>(std::lower_bound(time.begin(), time.end(), to_s) - time.begin());
    end_ = std::max(end_, begin_);
}

std::span<const float> Known::operator[](std::string_view name) const {
    for (const auto& channel : truth_.groups.at(0).channels)
        if (channel.name == name) return channel.values.values().subspan(begin_, end_ - begin_);
    return {};  // no rule asks for one; a rule that did would find nothing, and its row would be empty
}

namespace {

using Strings = std::vector<std::string>;
using Models = std::vector<std::string_view>;

const Models kAll = {"heron", "heron-fitted", "crane"};
const Models kTurbo = {"heron", "heron-fitted"};
const Models kBanks = {"crane"};
const Models kMetered = {"heron", "heron-fitted", "crane"};
const Strings kMixed = {"town", "hills", "coast-downs"};
const Strings kTown = {"town", "hills"};
const Strings kRoad = {"town", "hills", "motorway"};
const Strings kFull = {"town", "pulls-3", "pulls-4"};
const Strings kCold = {"cold-start", "town"};
const Strings kTip = {"tip-ins", "town"};

// What wrong bytes may show as.
const Models kOfBytes = {"lean-under-load", "rich-under-load", "lean-tip-in", "rich-tip-in",  "idle-off",
                         "idle-hunts",      "hard-start",      "limp-mode",   "trim-at-stop", "limit-hit"};

constexpr double kPoint = 0.01;

auto runs(const Known& t) {
    return [n = t["true_engine_speed"]](size_t i) { return n[i] > 500; };
}
auto warm(const Known& t) {
    return [n = t["true_engine_speed"], c = t["true_coolant"]](size_t i) { return n[i] > 500 && c[i] > 70; };
}
/// Warm, burning, at a lambda the loop holds.
auto closed(const Known& t) {
    return [is = warm(t), l = t["true_lambda"]](size_t i) { return is(i) && std::abs(l[i] - 1) < 0.06F; };
}
/// Foot down with the engine at work.
auto full(const Known& t) {
    return [n = t["true_engine_speed"], foot = t["true_pedal"]](size_t i) { return n[i] > 1500 && foot[i] > 85; };
}
bool moves(const Known& t, std::string_view column, double by) {
    const auto v = t[column];
    if (v.empty()) return false;
    const auto [least, most] = std::minmax_element(v.begin(), v.end());
    return static_cast<double>(*most - *least) >= by;
}
int longCuts(const Known& t, double least_s) {
    const auto l = t["true_lambda"], n = t["true_engine_speed"], v = t["true_vehicle_speed"];
    return t.spells([&](size_t i) { return l[i] > 4 && n[i] > 1100 && v[i] > 5; }, least_s);
}
int fullSpells(const Known& t, double least_s) {
    return t.spells(full(t), least_s);
}
/// A share of the air that goes past what measures it.
double leakSeconds(const Known& t, std::string_view leak, double least, bool under) {
    const auto is = warm(t);
    const auto flow = t["true_airflow"];
    const auto leaks = t[leak];
    return t.seconds([&](size_t i) {
        const double share = static_cast<double>(leaks[i] / (flow[i] + leaks[i] + 0.01F));
        return is(i) && flow[i] > 0.5F && (under ? share < least : share >= least);
    });
}

bool running(const Known& t, double least_s) {
    return t.seconds(runs(t)) >= least_s;
}
bool warmFor(const Known& t, double least_s) {
    return t.seconds(warm(t)) >= least_s;
}

std::vector<FaultCase> cases() {
    return {
        // --- what measures the mixture
        {"wideband dead",
         "",
         "wideband:dead",
         {0},
         kAll,
         kTown,
         {"wideband-dead"},
         "40 s running while the manifold moves by 20 kPa",
         [](const Known& t, double) { return running(t, 40) && moves(t, "true_manifold_pressure", 20); }},
        {"wideband stuck",
         "",
         "wideband:stuck",
         {0},
         kAll,
         kTown,
         {"wideband-dead"},
         "40 s running while the manifold moves by 20 kPa",
         [](const Known& t, double) { return running(t, 40) && moves(t, "true_manifold_pressure", 20); }},
        {"wideband slow",
         "s",
         "wideband:slow",
         {0.5, 1, 2},
         kAll,
         kMixed,
         {"wideband-slow"},
         "three fuel cuts of 2 s",
         [](const Known& t, double) { return longCuts(t, 2) >= 3; }},
        {"wideband aged",
         "s",
         "wideband-aged",
         {0.3, 0.6, 1.2},
         kAll,
         kMixed,
         {"wideband-slow"},
         "three fuel cuts of 2 s",
         [](const Known& t, double) { return longCuts(t, 2) >= 3; }},
        {"wideband cold",
         "s",
         "wideband-cold",
         {30, 90, 240},
         kAll,
         kCold,
         {"wideband-cold"},
         "running for 20 s before it is ready",
         [](const Known& t, double) {
             const auto ready = t["true_wideband_ready"];
             const auto is = runs(t);
             return t.seconds([&](size_t i) { return is(i) && ready[i] < 0.5F; }) >= 20;
         }},
        {"wideband offset",
         "lambda",
         "wideband:offset",
         {0.03, 0.06, 0.12},
         kAll,
         kMixed,
         {"wideband-scale"},
         "120 s warm at lambda 1 within 6 %",
         [](const Known& t, double) { return t.seconds(closed(t)) >= 120; }},
        {"wideband scaled",
         "",
         "wideband:scaled",
         {1.04, 0.93, 1.12},
         kAll,
         kMixed,
         {"wideband-scale"},
         "120 s warm at lambda 1 within 6 %",
         [](const Known& t, double) { return t.seconds(closed(t)) >= 120; }},
        {"leak before the wideband",
         "g/s",
         "wideband-leak",
         {0.2, 0.4, 0.8},
         kAll,
         kRoad,
         {"wideband-leak"},
         "60 s warm with a share of at least 4 %, 60 s with less",
         [](const Known& t, double gs) {
             const auto is = closed(t);
             const auto flow = t["true_airflow"];
             const auto share = [&](size_t i) { return gs / (static_cast<double>(flow[i]) + gs); };
             return t.seconds([&](size_t i) { return is(i) && share(i) >= 0.04; }) >= 60 &&
                    t.seconds([&](size_t i) { return is(i) && share(i) < 0.04; }) >= 60;
         }},
        {"exhaust leak both see",
         "g/s",
         "exhaust-leak",
         {0.2, 0.4, 0.8},
         kAll,
         kRoad,
         {"exhaust-leak"},
         "60 s warm with a share of at least 4 %, 60 s with less",
         [](const Known& t, double gs) {
             const auto is = warm(t);
             const auto flow = t["true_airflow"];
             const auto share = [&](size_t i) { return gs / (static_cast<double>(flow[i]) + gs); };
             return t.seconds([&](size_t i) { return is(i) && share(i) >= 0.04; }) >= 60 &&
                    t.seconds([&](size_t i) { return is(i) && share(i) < 0.04; }) >= 60;
         }},
        {"wideband in a late pipe",
         "rpm",
         "wideband-late-pipe",
         {1500, 2500, 3500},
         kAll,
         kRoad,
         {"wideband-late-pipe"},
         "30 s warm below that speed, 10 s above",
         [](const Known& t, double rpm) {
             const auto is = closed(t);
             const auto n = t["true_engine_speed"];
             return t.seconds([&](size_t i) { return is(i) && n[i] < rpm; }) >= 30 &&
                    t.seconds([&](size_t i) { return is(i) && n[i] >= rpm; }) >= 10;
         }},
        {"wideband behind the catalyst",
         "s",
         "wideband-behind-catalyst",
         {1, 2, 4},
         kAll,
         kMixed,
         {"wideband-after-catalyst", "wideband-slow"},
         "three fuel cuts of 2 s",
         [](const Known& t, double) { return longCuts(t, 2) >= 3; }},
        {"wideband before the turbine",
         "1/kPa",
         "wideband-before-turbine",
         {0.001, 0.002, 0.004},
         kTurbo,
         kFull,
         {"wideband-pressure"},
         "two spells of 2 s at full pedal in which it reads 3 % off",
         [](const Known& t, double k) {
             const auto is = full(t);
             const auto back = t["true_back_pressure"], air = t["true_air_pressure"], l = t["true_lambda_at_sensor"];
             return t.spells(
                        [&](size_t i) {
                            return is(i) && std::abs(1 - 1 / l[i]) * static_cast<float>(k) * (back[i] - air[i]) > 0.03F;
                        },
                        2) >= 2;
         },
         "a pull that truly is richer reads the same; only the build sheet, or air of a cut under pressure, tells"},
        {"narrowband dead",
         "",
         "narrowband:dead",
         {0},
         kAll,
         kTown,
         {"narrowband-dead"},
         "60 s warm",
         [](const Known& t, double) { return warmFor(t, 60); }},
        {"narrowband stuck",
         "",
         "narrowband:stuck",
         {0},
         kAll,
         kTown,
         {"narrowband-dead"},
         "60 s warm",
         [](const Known& t, double) { return warmFor(t, 60); }},
        {"narrowband slow",
         "s",
         "narrowband:slow",
         {0.5, 1, 2},
         kAll,
         kRoad,
         {"narrowband-slow"},
         "120 s warm",
         [](const Known& t, double) { return warmFor(t, 120); }},
        {"banks crossed",
         "",
         "banks-crossed",
         {1},
         kBanks,
         kTown,
         {"banks-crossed"},
         "60 s warm",
         [](const Known& t, double) { return warmFor(t, 60); }},
        // --- what measures the air
        {"pressure dead",
         "",
         "pressure:dead",
         {0},
         kAll,
         kTown,
         {"pressure-dead", "limp-mode"},
         "10 s running",
         [](const Known& t, double) { return running(t, 10); }},
        {"pressure scaled",
         "",
         "pressure:scaled",
         {1.07, 0.88, 1.2},
         kAll,
         kRoad,
         {"pressure-scale"},
         "60 s warm",
         [](const Known& t, double) { return warmFor(t, 60); }},
        {"pressure offset",
         "V",
         "pressure:offset",
         {0.1, -0.2, 0.35},
         kAll,
         kRoad,
         {"pressure-scale"},
         "60 s warm",
         [](const Known& t, double) { return warmFor(t, 60); }},
        {"meter dead",
         "",
         "meter:dead",
         {0},
         kMetered,
         kTown,
         {"meter-dead"},
         "20 s running",
         [](const Known& t, double) { return running(t, 20); }},
        {"meter slow",
         "s",
         "meter:slow",
         {1, 2, 4},
         kMetered,
         kTown,
         {"meter-disagrees"},
         "air past the meter moves by 5 g/s within 0.5 s five times",
         [](const Known& t, double) {
             const auto flow = t["true_meter_flow"];
             return t.spells([&](size_t i) { return i >= 50 && std::abs(flow[i] - flow[i - 50]) > 5; }, kPoint) >= 5;
         }},
        {"meter scaled",
         "",
         "meter:scaled",
         {1.04, 0.93, 1.12},
         kMetered,
         kRoad,
         {"meter-disagrees"},
         "60 s warm",
         [](const Known& t, double) { return warmFor(t, 60); }},
        {"meter offset",
         "V",
         "meter:offset",
         {0.1, -0.15, 0.3},
         kMetered,
         kRoad,
         {"meter-disagrees"},
         "60 s warm",
         [](const Known& t, double) { return warmFor(t, 60); }},
        {"leak behind the throttle",
         "g/s",
         "intake-leak",
         {0.5, 1, 2},
         kMetered,
         kRoad,
         {"intake-leak"},
         "60 s warm with at least 5 % of the air past the meter, 60 s with less than 5 %",
         [](const Known& t, double) {
             return leakSeconds(t, "true_intake_leak", 0.05, false) >= 60 &&
                    leakSeconds(t, "true_intake_leak", 0.05, true) >= 60;
         }},
        {"leak before the throttle",
         "",
         "duct-leak",
         {0.05, 0.1, 0.2},
         kMetered,
         kRoad,
         {"intake-leak", "meter-disagrees"},
         "60 s warm",
         [](const Known& t, double) { return warmFor(t, 60); }},
        {"leak behind the compressor",
         "g/s",
         "boost-leak",
         {4, 8, 16},
         kTurbo,
         kFull,
         {"boost-leak"},
         "two spells of 2 s at full pedal with 5 % of the air lost",
         [](const Known& t, double) {
             const auto is = full(t);
             const auto leak = t["true_boost_leak"], flow = t["true_airflow"];
             return t.spells([&](size_t i) { return is(i) && leak[i] > 0.05F * flow[i]; }, 2) >= 2;
         }},
        {"throttle sensor offset",
         "V",
         "throttle:offset",
         {0.1, 0.2, 0.4},
         kAll,
         kTown,
         {"throttle-offset"},
         "60 s warm",
         [](const Known& t, double) { return warmFor(t, 60); }},
        {"throttle sensor dead",
         "",
         "throttle:dead",
         {0},
         kAll,
         kTown,
         {"throttle-offset", "limp-mode"},
         "10 s running",
         [](const Known& t, double) { return running(t, 10); }},
        {"pedal sensor offset",
         "V",
         "pedal:offset",
         {0.15, 0.25, 0.4},
         kAll,
         kTown,
         {"pedal-dead"},
         "60 s running, 20 s of them with the foot up",
         [](const Known& t, double) {
             const auto foot = t["true_pedal"];
             const auto is = runs(t);
             return running(t, 60) && t.seconds([&](size_t i) { return is(i) && foot[i] < 1; }) >= 20;
         }},
        {"pedal sensor dead",
         "",
         "pedal:dead",
         {0},
         kAll,
         kTown,
         {"pedal-dead"},
         "10 s running with the foot down by 5 %",
         [](const Known& t, double) {
             const auto foot = t["true_pedal"];
             const auto is = runs(t);
             return t.seconds([&](size_t i) { return is(i) && foot[i] > 5; }) >= 10;
         }},
        // --- temperatures, speed, current
        {"coolant stuck",
         "",
         "coolant:stuck",
         {0},
         kAll,
         kCold,
         {"coolant-stuck"},
         "coolant moves by 25 K",
         [](const Known& t, double) { return moves(t, "true_coolant", 25) && running(t, 120); }},
        {"coolant dead",
         "",
         "coolant:dead",
         {0},
         kAll,
         kTown,
         {"coolant-stuck"},
         "30 s running",
         [](const Known& t, double) { return running(t, 30); }},
        {"intake stuck",
         "",
         "intake:stuck",
         {0},
         kAll,
         {"hills", "idle", "town", "motorway"},
         {"intake-stuck"},
         "air before the throttle moves by 8 K",
         [](const Known& t, double) { return moves(t, "true_intake_temperature", 8) && running(t, 240); }},
        {"intake dead",
         "",
         "intake:dead",
         {0},
         kAll,
         kCold,
         {"intake-stuck"},
         "30 s running",
         [](const Known& t, double) { return running(t, 30); }},
        {"intake soaked",
         "K",
         "heat-soak",
         {12, 20, 35},
         kAll,
         kTown,
         {"heat-soak"},
         "60 s running below 5 g/s, 30 s above 12 g/s",
         [](const Known& t, double) {
             const auto flow = t["true_airflow"];
             const auto is = runs(t);
             return t.seconds([&](size_t i) { return is(i) && flow[i] < 5; }) >= 60 &&
                    t.seconds([&](size_t i) { return is(i) && flow[i] > 12; }) >= 30;
         },
         {},
         true},
        {"wheel dead",
         "",
         "wheel:dead",
         {0},
         kAll,
         kTown,
         {"wheel-dead"},
         "40 s rolling at 15 km/h",
         [](const Known& t, double) {
             const auto v = t["true_vehicle_speed"];
             return t.seconds([&](size_t i) { return v[i] > 15; }) >= 40;
         }},
        {"wheel scaled",
         "",
         "wheel:scaled",
         {1.06, 0.9, 1.2},
         kAll,
         kRoad,
         {"speed-scale"},
         "90 s in gear at 20 km/h",
         [](const Known& t, double) {
             const auto v = t["true_vehicle_speed"], gear = t["true_gear"], c = t["true_clutch"];
             return t.seconds([&](size_t i) { return v[i] > 20 && gear[i] > 0 && c[i] > 99; }) >= 90;
         }},
        {"clutch slips above",
         "Nm",
         "clutch-slip",
         {160, 130, 100},
         kAll,
         kFull,
         {"clutch-slips"},
         "two spells of 1 s at full pedal with more torque than it holds",
         [](const Known& t, double holds) {
             const auto is = full(t);
             const auto torque = t["true_torque"];
             return t.spells([&](size_t i) { return is(i) && torque[i] > 1.1 * holds; }, 1) >= 2;
         }},
        {"battery weak",
         "V",
         "low-battery",
         {12, 11.5, 10.5},
         kAll,
         kTown,
         {"battery-low"},
         "30 s running below 12.3 V",
         [](const Known& t, double) {
             const auto u = t["true_battery"];
             const auto is = runs(t);
             return t.seconds([&](size_t i) { return is(i) && u[i] < 12.3F; }) >= 30;
         }},
        {"alternator dead",
         "V/min",
         "alternator-dead",
         {0.2, 0.5, 2},
         kAll,
         kRoad,
         {"battery-low"},
         "30 s running below 12.3 V",
         [](const Known& t, double) {
             const auto u = t["true_battery"];
             const auto is = runs(t);
             return t.seconds([&](size_t i) { return is(i) && u[i] < 12.3F; }) >= 30;
         }},
        // --- fuel
        {"pump weak, left",
         "",
         "weak-pump",
         {0.16, 0.13, 0.1},
         kAll,
         kFull,
         {"fuel-pressure-falls"},
         "two spells of 1 s with less than 88 % of the rail's pressure",
         [](const Known& t, double) {
             const auto rail = t["true_rail_pressure"];
             return t.spells([&](size_t i) { return rail[i] < 88; }, 1) >= 2;
         }},
        {"regulator without hose",
         "",
         "regulator-unreferenced",
         {1},
         kAll,
         kFull,
         {"regulator"},
         "60 s warm below 60 kPa, 6 s above 90 kPa",
         [](const Known& t, double) {
             const auto p = t["true_manifold_pressure"];
             const auto is = warm(t);
             return t.seconds([&](size_t i) { return is(i) && p[i] < 60; }) >= 60 &&
                    t.seconds([&](size_t i) { return is(i) && p[i] > 90; }) >= 6;
         }},
        {"injector dead",
         "",
         "injector-dead",
         {1},
         kAll,
         kTown,
         {"one-cylinder", "misfire"},
         "60 s warm",
         [](const Known& t, double) { return warmFor(t, 60); }},
        {"injector lean by",
         "",
         "injector-lean",
         {0.15, 0.3, 0.6},
         kAll,
         kTown,
         {"one-cylinder", "misfire"},
         "60 s warm",
         [](const Known& t, double) { return warmFor(t, 60); }},
        {"other fuel",
         "ethanol",
         "other-fuel",
         {0.3, 0.5, 0.85},
         kAll,
         kRoad,
         {"fuel-changed"},
         "180 s warm after the change",
         [](const Known& t, double) { return warmFor(t, 180); }},
        {"purge valve open",
         "",
         "purge-valve",
         {0.1, 0.3, 0.6},
         kAll,
         kTown,
         {"purge-suspected"},
         "60 s warm with 4 % of the fuel as vapour",
         [](const Known& t, double) {
             const auto purge = t["true_purge_fuel"], fuel = t["true_injected"];
             const auto is = warm(t);
             return t.seconds([&](size_t i) { return is(i) && purge[i] > 0.04F * fuel[i]; }) >= 60;
         }},
        // --- spark and boost
        {"poor fuel",
         "RON",
         "poor-fuel",
         {92, 89, 85},
         kAll,
         kFull,
         {"knock", "octane-low"},
         "two spells of full pedal with ten combustions that knock, all in all",
         [](const Known& t, double) {
             const auto knocks = t["true_knocks"];
             return fullSpells(t, 2) >= 2 && !knocks.empty() && knocks.back() - knocks.front() >= 10;
         }},
        {"false knock in a band",
         "V",
         "false-knock",
         {0.3, 0.6, 1.2},
         kAll,
         kFull,
         {"knock-false"},
         "4 s warm in the band at 70 kPa",
         [](const Known& t, double) {
             const auto n = t["true_engine_speed"], p = t["true_manifold_pressure"];
             const auto is = warm(t);
             return t.seconds([&](size_t i) { return is(i) && n[i] > 3000 && n[i] < 3600 && p[i] > 70; }) >= 4;
         }},
        {"false knock at tip-in",
         "V",
         "tip-in-noise",
         {0.3, 0.6, 1.2},
         kAll,
         kTip,
         {"knock-false"},
         "five steps of 5 % of the foot above 60 kPa",
         [](const Known& t, double) {
             const auto foot = t["true_pedal"], p = t["true_manifold_pressure"];
             return t.spells([&](size_t i) { return i >= 30 && foot[i] - foot[i - 30] > 5 && p[i] > 60; }, kPoint) >= 5;
         }},
        {"knock sensor dead",
         "",
         "knock:dead",
         {0},
         kAll,
         kFull,
         {"knock-deaf"},
         "three spells of 2 s at full pedal",
         [](const Known& t, double) { return fullSpells(t, 2) >= 3; }},
        {"wastegate stuck shut",
         "",
         "wastegate-stuck",
         {0},
         kTurbo,
         kFull,
         {"wastegate-stuck-shut", "overboost"},
         "two spells of 3 s at full pedal",
         [](const Known& t, double) { return fullSpells(t, 3) >= 2; }},
        {"wastegate stuck open",
         "",
         "wastegate-stuck",
         {0.5, 0.7, 1},
         kTurbo,
         kFull,
         {"wastegate-stuck-open", "underboost"},
         "two spells of 3 s at full pedal",
         [](const Known& t, double) { return fullSpells(t, 3) >= 2; }},
        {"throttle opens to at most",
         "",
         "throttle-ceiling",
         {0.5, 0.4, 0.3},
         kTurbo,
         kFull,
         {"throttle-closes"},
         "two spells of 3 s at full pedal with 5 kPa lost at the plate",
         [](const Known& t, double) {
             const auto is = full(t);
             const auto p = t["true_manifold_pressure"], before = t["true_boost_pressure"];
             return t.spells([&](size_t i) { return is(i) && before[i] - p[i] > 5; }, 3) >= 2;
         }},
        // --- bytes that are wrong in one part
        {"bytes: injector flow off by",
         "%",
         "part:injector-flow",
         {-15, 20, -35},
         kAll,
         kFull,
         kOfBytes,
         "two spells of 3 s at full pedal",
         [](const Known& t, double) { return fullSpells(t, 3) >= 2; }},
        {"bytes: idle air off by",
         "%",
         "part:idle",
         {-30, 40, 80},
         kAll,
         {"idle", "town"},
         kOfBytes,
         "60 s standing",
         [](const Known& t, double) {
             const auto v = t["true_vehicle_speed"];
             const auto is = warm(t);
             return t.seconds([&](size_t i) { return is(i) && v[i] < 1; }) >= 60;
         }},
    };
}

}  // namespace

const std::vector<FaultCase>& faultCases() {
    static const std::vector<FaultCase> all = cases();
    return all;
}

bool saysBytes(std::string_view check) {
    // What wrong bytes do to a sound car.
    constexpr std::string_view kDone[] = {"knock",      "octane-low",      "overboost",
                                          "underboost", "throttle-closes", "injector-at-limit"};
    return std::find(kOfBytes.begin(), kOfBytes.end(), check) != kOfBytes.end() ||
           std::find(std::begin(kDone), std::end(kDone), check) != std::end(kDone);
}

}  // namespace brusk::ctl
