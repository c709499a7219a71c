// Channels of the true state, and a drive in one figure each.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "benchcar/truth/Truth.h"

#include <algorithm>
#include <cmath>

namespace brusk::benchcar {

namespace {

struct Column {
    const char* name;
    const char* unit;
    const char* title;
    double (*value)(const TrueState&);
};

constexpr Column kColumns[] = {
    {"true_engine_speed", "rpm", "Engine speed", [](const TrueState& s) { return s.speed_rpm; }},
    {"true_manifold_pressure", "kPa", "Manifold pressure", [](const TrueState& s) { return s.pressure_kPa; }},
    {"true_boost_pressure", "kPa", "Pressure before the throttle", [](const TrueState& s) { return s.boost_kPa; }},
    {"true_back_pressure", "kPa", "Pressure in the exhaust manifold",
     [](const TrueState& s) { return s.backPressure_kPa; }},
    {"true_turbo_speed", "rad/s", "Speed of the turbocharger", [](const TrueState& s) { return s.turbo_rads; }},
    {"true_wastegate", "%", "Wastegate open", [](const TrueState& s) { return s.wastegate * 100; }},
    {"true_airflow", "g/s", "Air into the cylinders", [](const TrueState& s) { return s.airflow_gs; }},
    {"true_meter_flow", "g/s", "Air past the airflow meter", [](const TrueState& s) { return s.meterFlow_gs; }},
    {"true_air_per_cylinder", "mg", "Air in each cylinder", [](const TrueState& s) { return s.airPerStroke_g * 1000; }},
    {"true_fuel_per_cylinder", "mg", "Fuel that reaches each cylinder in time to burn",
     [](const TrueState& s) { return s.fuelPerStroke_g * 1000; }},
    {"true_injected", "g/s", "Fuel out of the injectors", [](const TrueState& s) { return s.injected_gs; }},
    {"true_lambda", "lambda", "Of the charge in the cylinders of bank 1", [](const TrueState& s) { return s.lambda; }},
    {"true_lambda_2", "lambda", "Of the charge in the cylinders of bank 2",
     [](const TrueState& s) { return s.banks[1].lambda; }},
    {"true_lambda_at_sensor", "lambda", "What comes by the wideband, leaks aside",
     [](const TrueState& s) { return s.lambdaAtSensor; }},
    {"true_delay", "s", "From the valves to the wideband", [](const TrueState& s) { return s.delay_s; }},
    {"true_torque", "Nm", "At the crank", [](const TrueState& s) { return s.torque_Nm; }},
    {"true_indicated_torque", "Nm", "Of the gas on the pistons", [](const TrueState& s) { return s.indicated_Nm; }},
    {"true_belt_torque", "Nm", "What hangs on the belt takes", [](const TrueState& s) { return s.drag_Nm; }},
    {"true_charge_temperature", "°C", "Of the air in the cylinders",
     [](const TrueState& s) { return s.chargeTemp_K - 273.15; }},
    {"true_intake_temperature", "°C", "Before the throttle", [](const TrueState& s) { return s.intake_C; }},
    {"true_coolant", "°C", "Coolant", [](const TrueState& s) { return s.coolant_C; }},
    {"true_exhaust_temperature", "°C", "Of the gas", [](const TrueState& s) { return s.exhaust_C; }},
    {"true_air_temperature", "°C", "Of the weather", [](const TrueState& s) { return s.ambient_C; }},
    {"true_air_pressure", "kPa", "Of the weather", [](const TrueState& s) { return s.ambient_kPa; }},
    {"true_best_spark", "°", "For most torque", [](const TrueState& s) { return s.bestSpark_deg; }},
    {"true_knock_limit", "°", "Mean limit of the cylinder that knocks first",
     [](const TrueState& s) { return s.knockSpark_deg; }},
    {"true_spark", "°", "As given", [](const TrueState& s) { return s.spark_deg; }},
    {"true_knock", "°", "Beyond its limit, the loudest of ten milliseconds",
     [](const TrueState& s) { return s.knock; }},
    {"true_knock_moments", "", "Windows of ten milliseconds with knock so far",
     [](const TrueState& s) { return static_cast<double>(s.knockMoments); }},
    {"true_knocks", "", "Combustions with knock so far",
     [](const TrueState& s) { return static_cast<double>(s.knocks); }},
    {"true_misfire", "%", "Of the combustions", [](const TrueState& s) { return s.misfire * 100; }},
    {"true_vehicle_speed", "km/h", "Of the car", [](const TrueState& s) { return s.vehicle_kmh; }},
    {"true_road_force", "N", "What air, tyres and slope take: with gear and speed the load line",
     [](const TrueState& s) { return s.roadForce_N; }},
    {"true_grade", "%", "Of the road", [](const TrueState& s) { return s.grade * 100; }},
    {"true_altitude", "m", "Since the drive began", [](const TrueState& s) { return s.altitude_m; }},
    {"true_gear", "", "Chosen", [](const TrueState& s) { return static_cast<double>(s.gear); }},
    {"true_clutch", "%", "Closed", [](const TrueState& s) { return s.clutch * 100; }},
    {"true_throttle", "%", "Opening", [](const TrueState& s) { return s.throttle * 100; }},
    {"true_pedal", "%", "Pressed", [](const TrueState& s) { return s.pedal * 100; }},
    {"true_battery", "V", "Battery", [](const TrueState& s) { return s.battery_V; }},
    {"true_rail_pressure", "%", "Of what the regulator should hold",
     [](const TrueState& s) { return s.railPressure * s.injectorPressure * 100; }},
    {"true_weak_cylinder", "%", "Of its fuel that the first cylinder lacks",
     [](const TrueState& s) { return s.weakCylinder * 100; }},
    {"true_purge_air", "g/s", "Through the purge valve", [](const TrueState& s) { return s.purgeAir_gs; }},
    {"true_purge_fuel", "g/s", "Vapour with it", [](const TrueState& s) { return s.purgeFuel_gs; }},
    {"true_intake_leak", "g/s", "Into the manifold, past meter and throttle",
     [](const TrueState& s) { return s.intakeLeak_gs; }},
    {"true_boost_leak", "g/s", "Out of the pipe behind the compressor",
     [](const TrueState& s) { return s.boostLeak_gs; }},
    {"true_ethanol", "%", "By volume, of what is injected", [](const TrueState& s) { return s.ethanol * 100; }},
    {"true_fuel_used", "l", "Injected so far", [](const TrueState& s) { return s.fuelUsed_l; }},
    {"true_refuelled", "l", "Told by the pump of the filling station, in all",
     [](const TrueState& s) { return s.refuelled_l; }},
    {"true_wideband_ready", "", "1 when the wideband can be believed to be warm",
     [](const TrueState& s) { return s.widebandReady ? 1.0 : 0.0; }},
};

std::string underscored(std::string_view id) {
    std::string out = "fault_" + std::string(id);
    std::replace(out.begin(), out.end(), '-', '_');
    return out;
}

double amountOf(const SensorFault& fault) {
    using Kind = SensorFault::Kind;
    if (fault.kind == Kind::None) return 0;
    return fault.kind == Kind::Dead || fault.kind == Kind::Stuck ? 1 : fault.amount;
}

constexpr double kTick_s = 0.01;
constexpr double kBoost_kPa = 112, kHighBoost_kPa = 130, kLean = 0.92;
constexpr double kWarm_C = 60, kSettledStart_s = 20, kAfterCut_s = 1.5;

}  // namespace

const std::vector<TruthChannel>& truthChannels() {
    static const std::vector<TruthChannel> all = [] {
        std::vector<TruthChannel> out;
        for (const Column& c : kColumns)
            out.push_back({c.name, c.unit, c.title});
        for (const FaultKind& kind : faultKinds())
            out.push_back({underscored(kind.id), std::string(kind.unit), std::string(kind.title)});
        for (size_t i = 0; i < kSensorCount; ++i) {
            const auto name = sensorName(static_cast<Sensor>(i));
            out.push_back(
                {underscored("sensor-" + std::string(name)), "", "Fault of the sensor: " + std::string(name)});
        }
        return out;
    }();
    return all;
}

void truthNow(BenchCar& car, std::vector<float>& out) {
    out.clear();
    const TrueState& s = car.plant().state();
    for (const Column& c : kColumns)
        out.push_back(static_cast<float>(c.value(s)));
    const Faults& faults = car.faults();
    const Faults well;
    for (const FaultKind& kind : faultKinds())
        out.push_back(faults.*kind.member == well.*kind.member ? 0 : static_cast<float>(faults.*kind.member));
    for (const SensorFault& fault : faults.sensors)
        out.push_back(static_cast<float>(amountOf(fault)));
}

std::vector<LearnedValue> learnedNow(BenchCar& car) {
    std::vector<LearnedValue> out;
    const auto add = [&](const Item& item, std::string_view unit) {
        out.push_back({item.name, unit, static_cast<double>(car.memory().seen(item)) * item.perCount + item.offset});
    };
    const auto& loop = layout::loopSeen;
    for (const Item* item : {&loop.learned0, &loop.learned1, &loop.learned2, &loop.learned3})
        add(*item, "%");
    if (car.plant().build().engine.banks > 1)
        for (const Item* item : {&loop.learned20, &loop.learned21, &loop.learned22, &loop.learned23})
            add(*item, "%");
    add(layout::idleSeen.learned, "%");
    add(layout::sparkSeen.factor, "%");
    return out;
}

std::span<const std::string_view> figureNames() {
    static constexpr std::string_view all[] = {
        "fuel_error_rms_pct",   "fuel_error_boost_pct", "boost_error_kpa", "overshoot_kpa", "rise_s",
        "idle_off_rpm",         "idle_spread_rpm",      "start_s",         "flare_rpm",     "tip_in_lean_area",
        "spark_over_limit_deg", "knock_retard_deg",     "lean_in_boost_s", "pedal_off_pct", "speed_off_pct",
        "changeover_step_pct",  "limit_share_pct"};
    return all;
}

double spoolUp_s(const Build& build, double rpm) {
    constexpr double kSmall_kgm2 = 1.5e-5, kAt_rpm = 3000, kSmall_s = 1.0;
    if (!build.engine.turbo) return 0;
    return kSmall_s * std::sqrt(build.parts.turbo.inertia_kgm2 / kSmall_kgm2) *
           std::pow(kAt_rpm / std::clamp(rpm, 1500.0, 7000.0), 1.5);
}

double TruthFigures::Mean::mean() const {
    return sum / static_cast<double>(n);
}
double TruthFigures::Mean::rms() const {
    return std::sqrt(squares / static_cast<double>(n));
}
double TruthFigures::Mean::spread() const {
    return std::sqrt(std::max(0.0, squares / static_cast<double>(n) - mean() * mean()));
}

void TruthFigures::fuel(const TrueState& s, const Signals& c) {
    const bool cut = c.fuelCut || c.engine != EngineState::Running;
    sinceCut_s_ = cut ? 0 : sinceCut_s_ + kTick_s;
    if (cut || s.coolant_C < kWarm_C || s.runTime_s < kSettledStart_s || sinceCut_s_ < kAfterCut_s) return;
    const double asked = c.lambda_4 / 10000.0;
    const double lambda = 2 / (1 / s.banks[0].lambda + 1 / s.banks[1].lambda);
    const double off_pct = (lambda / asked - 1) * 100;
    fuelError_.add(off_pct);
    if (s.pressure_kPa > kBoost_kPa) fuelErrorBoost_.add(off_pct);
    if (s.pressure_kPa > kHighBoost_kPa && lambda > kLean) leanInBoost_s_ += kTick_s;
    if (c.changingOver && c.airMeter_ug > 0 && c.airSpeedDensity_ug > 0)
        changeover_.add(std::abs(static_cast<double>(c.airMeter_ug) / c.airSpeedDensity_ug - 1) * 100);
}

/// From the moment a foot asks for boost; what is missing counts whether or not the pressure ever came near.
void TruthFigures::boost(const TrueState& s, const Signals& c, const Build& build) {
    const double target_kPa = c.boostTarget_c / 100.0;
    const bool asked = build.engine.turbo && s.pedal > 0.9 && target_kPa > s.ambient_kPa + 10 && !c.limp &&
                       c.engine == EngineState::Running && s.gear > 0 && s.clutch > 0.99;
    if (!asked) {
        full_s_ = reached_s_ = -1;
        return;
    }
    if (full_s_ < 0) full_s_ = 0, fullAt_rpm_ = s.speed_rpm, fullFrom_kPa_ = s.pressure_kPa;
    full_s_ += kTick_s;
    const double wanted = fullFrom_kPa_ + 0.9 * (target_kPa - fullFrom_kPa_);
    if (reached_s_ < 0 && s.pressure_kPa >= wanted) {
        reached_s_ = full_s_;
        if (fullFrom_kPa_ < s.ambient_kPa + 10) rise_.add(full_s_);
    }
    if (reached_s_ >= 0) overshoot_kPa_ = std::max(overshoot_kPa_.value_or(0), s.pressure_kPa - target_kPa);
    if (full_s_ > spoolUp_s(build, fullAt_rpm_) + 0.5) boostError_.add(target_kPa - s.pressure_kPa);
}

void TruthFigures::idle(const TrueState& s, const Signals& c) {
    idle_s_ = c.idling && s.vehicle_kmh < 1 ? idle_s_ + kTick_s : 0;
    if (idle_s_ > 3 && s.runTime_s > kSettledStart_s) idleOff_.add(s.speed_rpm - c.idleTarget);
}

void TruthFigures::start(const TrueState& s, const Signals& c) {
    if (s.starter && cranking_s_ < 0 && !s.running) cranking_s_ = 0;
    if (cranking_s_ >= 0) {
        cranking_s_ += kTick_s;
        start_s_ = std::max(start_s_.value_or(0), cranking_s_);
        if (s.running) cranking_s_ = -1, ran_s_ = 0;
    }
    ran_s_ = s.running ? ran_s_ + kTick_s : 0;
    if (s.running && ran_s_ < 4 && s.gear == 0)
        flare_rpm_ = std::max(flare_rpm_.value_or(0), s.speed_rpm - c.idleTarget);
}

/// The lean area after a foot that went down quickly: lambda beyond what is asked, over time, per tip-in.
void TruthFigures::tipIn(const TrueState& s, const Signals& c) {
    constexpr double kStep = 0.08, kAfter_s = 1.5;
    if (running_ % 20 == 0) {
        if (s.pedal - pedalBefore_ > kStep && tipIn_s_ < 0 && s.gear > 0 && sinceCut_s_ > kAfterCut_s)
            tipIn_s_ = 0, leanArea_ = 0;
        pedalBefore_ = s.pedal;
    }
    if (tipIn_s_ < 0) return;
    tipIn_s_ += kTick_s;
    if (c.fuelCut) {
        tipIn_s_ = -1;
        return;
    }
    leanArea_ += std::max(0.0, s.lambda - c.lambda_4 / 10000.0) * kTick_s;
    if (tipIn_s_ > kAfter_s) tipIn_.add(leanArea_), tipIn_s_ = -1;
}

/// Torque at the crank against what the pedal asks for, settled, as a share of what the engine can give.
void TruthFigures::torque(const TrueState& s, const Signals& c, const Build& build) {
    const double wanted_Nm = c.torqueRequest_d / 10.0;
    settled_s_ = std::abs(wanted_Nm - wantedBefore_Nm_) < 0.3 ? settled_s_ + kTick_s : 0;
    wantedBefore_Nm_ = wanted_Nm;
    if (settled_s_ < 1 || s.gear == 0 || wanted_Nm < 10 || c.fuelCut || s.pedal > 0.95) return;
    const double most_Nm = build.engine.displacement_m3 * (build.engine.turbo ? 1300e3 : 900e3) / (4 * M_PI);
    pedalOff_.add(std::abs(s.torque_Nm - wanted_Nm) / most_Nm * 100);
}

void TruthFigures::add(BenchCar& car) {
    const TrueState& s = car.plant().state();
    const Signals& c = car.controller().now();
    const Build& build = car.plant().build();
    ++running_;
    start(s, c);
    if (!s.running) return;
    fuel(s, c);
    boost(s, c, build);
    idle(s, c);
    tipIn(s, c);
    torque(s, c, build);
    if (s.vehicle_kmh > 30) speedOff_.add(std::abs(c.vehicle_c / 100.0 / s.vehicle_kmh - 1) * 100);
    retard_deg_ = std::max(retard_deg_, c.knockRetard_d / 10.0);
    if (s.fuelPerStroke_g > 1e-6 && c.throttle_c > 3000)
        overLimit_deg_ = std::max(overLimit_deg_.value_or(-99), s.spark_deg - s.knockSpark_deg);
    limited_ += c.limit != CutReason::None || c.limp;
}

std::vector<std::pair<std::string_view, double>> TruthFigures::all() const {
    std::vector<std::pair<std::string_view, double>> out;
    const auto add = [&](std::string_view name, const std::optional<double>& value) {
        if (value) out.emplace_back(name, *value);
    };
    const auto mean = [](const Mean& m) { return m.n ? std::optional(m.mean()) : std::nullopt; };
    const auto rms = [](const Mean& m) { return m.n ? std::optional(m.rms()) : std::nullopt; };
    add("fuel_error_rms_pct", rms(fuelError_));
    add("fuel_error_boost_pct", rms(fuelErrorBoost_));
    add("boost_error_kpa", rms(boostError_));
    add("overshoot_kpa", overshoot_kPa_);
    add("rise_s", mean(rise_));
    add("idle_off_rpm", mean(idleOff_));
    add("idle_spread_rpm", idleOff_.n ? std::optional(idleOff_.spread()) : std::nullopt);
    add("start_s", start_s_);
    add("flare_rpm", flare_rpm_);
    add("tip_in_lean_area", mean(tipIn_));
    add("spark_over_limit_deg", overLimit_deg_);
    if (running_) add("knock_retard_deg", retard_deg_);
    if (running_) add("lean_in_boost_s", leanInBoost_s_);
    add("pedal_off_pct", mean(pedalOff_));
    add("speed_off_pct", mean(speedOff_));
    add("changeover_step_pct", mean(changeover_));
    if (running_) add("limit_share_pct", 100.0 * static_cast<double>(limited_) / static_cast<double>(running_));
    return out;
}

}  // namespace brusk::benchcar
