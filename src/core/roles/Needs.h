// What each kind of correction and each check of a drive needs: which parameters, which channels, which moments. What a
// drive should record for a purpose follows from it.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <array>
#include <initializer_list>
#include <span>

#include "core/roles/Role.h"

namespace brusk::roles {

/// A few roles; one that is not in the table does not compile.
class RoleList {
  public:
    static constexpr size_t kMost = 14;
    // NOLINTNEXTLINE(google-explicit-constructor): a list of literals is one wherever it is asked for
    consteval RoleList(std::initializer_list<const char*> ids) : size_(ids.size()) {
        size_t at = 0;
        for (const char* id : ids)
            roles_.at(at++) = Role(id);
    }
    constexpr const Role* begin() const { return roles_.data(); }
    constexpr const Role* end() const { return roles_.data() + size_; }
    constexpr size_t size() const { return size_; }

  private:
    static constexpr Role kNobody = "engine_speed";
    std::array<Role, kMost> roles_ = {kNobody, kNobody, kNobody, kNobody, kNobody, kNobody, kNobody,
                                      kNobody, kNobody, kNobody, kNobody, kNobody, kNobody, kNobody};
    size_t size_;
};

/// Moments of a drive that tell something by themselves, as bits.
enum Event : uint32_t {
    kStart = 1 << 0,
    kIdle = 1 << 1,
    kIdleLoad = 1 << 2,
    kCruise = 1 << 3,
    kPull = 1 << 4,
    kTipIn = 1 << 5,
    kTipOut = 1 << 6,
    kOverrun = 1 << 7,
    kGear = 1 << 8,
    kClutch = 1 << 9,
    kLimit = 1 << 10,
    kLimp = 1 << 11,
    kThrottleCloses = 1 << 12,
    kKnock = 1 << 13,
    kCode = 1 << 14,
    kGap = 1 << 15,
    kMark = 1 << 16,
    kGuard = 1 << 17,
    kRefuel = 1 << 18,
    kKeyOff = 1 << 19,
    kAdaptationReset = 1 << 20,
};
struct EventName {
    Event event;
    std::string_view id, title;
};
inline constexpr EventName kEvents[] = {
    {kStart, "start", "Start of the engine"},
    {kIdle, "idle", "Idle for three seconds"},
    {kIdleLoad, "idle-load", "A load joins or leaves at idle"},
    {kCruise, "cruise", "Steady drive"},
    {kPull, "pull", "Full pedal in one gear"},
    {kTipIn, "tip-in", "Foot goes down quickly"},
    {kTipOut, "tip-out", "Foot lifts quickly"},
    {kOverrun, "overrun", "Fuel cut while rolling"},
    {kGear, "gear", "Change of gear"},
    {kClutch, "clutch", "Clutch opens or closes"},
    {kLimit, "limit", "A limit was hit"},
    {kLimp, "limp", "Limp mode"},
    {kThrottleCloses, "throttle-closes", "Throttle closes under full pedal"},
    {kKnock, "knock", "Knock was heard"},
    {kCode, "code", "A trouble code was set"},
    {kGap, "gap", "Samples are missing"},
    {kMark, "mark", "Somebody set a mark"},
    {kGuard, "guard", "A guard spoke"},
    {kRefuel, "refuel", "The tank was filled"},
    {kKeyOff, "key-off", "Ignition off"},
    {kAdaptationReset, "adaptation-reset", "What was learned was cleared"},
};

/// What a kind of correction, or a check, can't do without, and what makes it better.
struct Need {
    std::string_view id, title;
    RoleList parameters;
    RoleList channels;
    RoleList helped = {};  ///< channels that it uses where they were recorded
    uint32_t events = 0;   ///< of Event; nil: any driving tells
};

/// What a controller learns while it is driven, and keeps.
inline constexpr RoleList kLearned = {"learned_trim_0",   "learned_trim_1",   "learned_trim_2",   "learned_trim_3",
                                      "learned_trim_0_2", "learned_trim_1_2", "learned_trim_2_2", "learned_trim_3_2",
                                      "idle_learned",     "octane_factor"};

/// The kinds of correction, in the order in which they build on each other.
inline constexpr Need kKindNeeds[] = {
    {"adaptations",
     "What the controller learned",
     {},
     {"short_trim", "long_trim"},
     {"learned_trim_0", "learned_trim_1", "learned_trim_2", "learned_trim_3", "idle_learned", "octane_factor"}},
    {"injector",
     "Injector: dead time, small pulse, flow",
     {"injector_flow", "injector_dead_time"},
     {"engine_speed", "injector_pulse", "battery", "lambda_asked", "lambda_measured", "short_trim", "long_trim"},
     {"meter_airflow", "air_per_cylinder", "fuel_rate"}},
    {"meter",
     "Airflow meter curve",
     {"meter_curve"},
     {"engine_speed", "meter_frequency", "lambda_asked", "lambda_measured", "short_trim", "long_trim"},
     {"air_source", "meter_airflow"}},
    {"air",
     "Air: volumetric efficiency by speed and pressure",
     {"ve_map"},
     {"engine_speed", "manifold_pressure", "throttle", "coolant", "lambda_asked", "short_trim", "long_trim", "airflow",
      "fuel_cut", "lambda_measured"},
     {"injector_pulse", "battery", "injector_duty", "limp_mode", "purge_duty_now", "intake_temperature",
      "vehicle_speed", "exhaust_temperature", "air_per_cylinder", "short_trim_2", "long_trim_2", "wideband_ready"}},
    {"charge-temperature",
     "Charge temperature",
     {"charge_blend", "ve_map"},
     {"engine_speed", "manifold_pressure", "coolant", "intake_temperature", "airflow", "lambda_asked",
      "lambda_measured", "short_trim", "long_trim"},
     {"charge_temperature"}},
    {"altitude",
     "Altitude: filling by the air outside",
     {"ve_map"},
     {"engine_speed", "manifold_pressure", "barometric_pressure", "lambda_asked", "lambda_measured", "short_trim",
      "long_trim"}},
    {"changeover",
     "Changeover between the air models",
     {"ve_map", "meter_curve", "changeover_on", "changeover_off"},
     {"engine_speed", "manifold_pressure", "meter_frequency", "air_source", "lambda_asked", "lambda_measured",
      "short_trim", "long_trim"}},
    {"bank-trim",
     "Fuel of each bank",
     {},
     {"short_trim", "long_trim", "short_trim_2", "long_trim_2"},
     {"narrowband", "narrowband_2", "lambda_measured", "lambda_measured_2"}},
    {"full-load",
     "Full load: enrichment, its conditions, air under load",
     {"full_load_on", "full_load_lambda", "full_load_delay", "full_load_pedal"},
     {"engine_speed", "manifold_pressure", "pedal", "lambda_asked", "lambda_measured"},
     {"full_load_state", "throttle", "gear"},
     kPull},
    {"air-lead",
     "Air in motion: filters and filling of the manifold",
     {"meter_fill"},
     {"engine_speed", "manifold_pressure", "throttle", "lambda_asked", "lambda_measured"},
     {"meter_frequency"},
     kTipIn | kTipOut},
    {"transient",
     "Wall film",
     {"film_share", "film_time"},
     {"engine_speed", "manifold_pressure", "throttle", "coolant", "lambda_asked", "lambda_measured"},
     {"injector_pulse"},
     kTipIn | kTipOut},
    {"cut-return",
     "Fuel after a cut",
     {"cut_begins", "cut_ends"},
     {"engine_speed", "fuel_cut", "lambda_asked", "lambda_measured"},
     {},
     kOverrun},
    {"lambda-loop",
     "Lambda loop: jump and ramp",
     {"loop_jump", "loop_ramp"},
     {"short_trim", "airflow", "narrowband"},
     {"loop_state"}},
    {"warm-up",
     "Warm-up and after-start enrichment",
     {"warm_up", "after_start"},
     {"engine_speed", "coolant", "lambda_asked", "lambda_measured", "short_trim", "long_trim"},
     {"engine_state"},
     kStart},
    {"cranking", "Cranking fuel and air", {}, {"engine_speed", "coolant", "engine_state"}, {"battery"}, kStart},
    {"expected-pressure",
     "Pressure expected by throttle",
     {"expected_pressure"},
     {"engine_speed", "throttle", "manifold_pressure"},
     {"expected_pressure_now", "barometric_pressure"}},
    {"throttle-model",
     "Throttle for air",
     {"throttle_for_air"},
     {"engine_speed", "throttle", "air_per_cylinder"},
     {"throttle_target"}},
    {"torque-pair",
     "Air for torque and torque for air",
     {"air_for_torque", "torque_for_air"},
     {"engine_speed", "air_per_cylinder", "torque_actual"}},
    {"plausibility",
     "Plausibility limits",
     {"plaus_pressure", "expected_pressure"},
     {"engine_speed", "manifold_pressure", "pressure_deviation"},
     {"expected_pressure_now", "throttle"}},
    {"boost",
     "Boost: duty and control",
     {"wastegate_duty", "boost_target"},
     {"engine_speed", "manifold_pressure", "boost_target_now", "wastegate_duty_now", "throttle"},
     {"boost_i_part", "barometric_pressure", "gear"},
     kPull},
    {"boost-target",
     "Boost target: what the turbine reaches",
     {"boost_target"},
     {"engine_speed", "manifold_pressure", "boost_target_now", "wastegate_duty_now"},
     {"pedal"},
     kPull},
    {"spark",
     "Spark: base and octane maps",
     {"spark_map"},
     {"engine_speed", "spark", "knock_retard"},
     {"octane_factor", "knock_events", "air_per_cylinder", "intake_temperature", "coolant"}},
    {"knock-threshold",
     "Knock threshold",
     {"knock_threshold"},
     {"engine_speed", "knock_retard", "knock_events", "spark"},
     {},
     kKnock},
    {"idle",
     "Idle: air, target, spark, gains",
     {"idle_air", "idle_speed"},
     {"engine_speed", "idle_target", "idle_active", "coolant", "idle_air_now"},
     {"idle_integral", "idle_learned", "spark", "vehicle_speed"},
     kIdle},
    {"idle-loads",
     "Idle: air for loads",
     {"idle_air"},
     {"engine_speed", "idle_target", "idle_active", "fan"},
     {"idle_air_now", "battery"},
     kIdleLoad},
    {"pedal",
     "Pedal: torque asked for",
     {"pedal_map"},
     {"pedal", "engine_speed", "vehicle_speed", "torque_request", "torque_actual"},
     {"gear"}},
    {"speed", "Road speed and gears", {"wheel_pulses", "gear_ratio"}, {"engine_speed", "vehicle_speed", "gear"}},
    {"cooling", "Fans", {"fan_on", "fan_off"}, {"coolant", "fan"}, {"vehicle_speed"}},
};

/// The checks of a drive.
inline constexpr Need kCheckNeeds[] = {
    {"wideband-dead", "Wideband silent or stuck", {}, {"lambda_measured", "engine_speed"}, {"wideband_ready"}},
    {"wideband-slow", "Wideband slow", {}, {"lambda_measured", "fuel_cut", "airflow"}, {}, kOverrun},
    {"wideband-cold", "Wideband not warm yet", {}, {"lambda_measured", "engine_speed"}, {"wideband_ready"}, kStart},
    {"wideband-scale",
     "Wideband off",
     {},
     {"lambda_measured", "narrowband", "short_trim"},
     {"fuel_cut", "barometric_pressure"}},
    {"wideband-leak",
     "Air leaks in before the wideband",
     {},
     {"lambda_measured", "lambda_asked", "airflow", "narrowband"}},
    {"exhaust-leak", "Exhaust leaks before both sensors", {}, {"lambda_measured", "lambda_asked", "airflow"}},
    {"wideband-late-pipe", "Air comes back through the pipe", {}, {"lambda_measured", "engine_speed"}},
    {"wideband-after-catalyst", "Wideband behind the catalyst", {}, {"lambda_measured", "short_trim"}},
    {"wideband-pressure", "Wideband before the turbine", {}, {"lambda_measured", "lambda_asked", "manifold_pressure"}},
    {"narrowband-dead", "Narrowband silent or stuck", {}, {"narrowband", "engine_speed"}},
    {"narrowband-slow", "Narrowband slow", {}, {"narrowband", "short_trim", "airflow"}},
    {"banks-crossed", "Narrowbands of the banks exchanged", {}, {"short_trim", "short_trim_2"}},
    {"pressure-dead", "Pressure sensor silent", {}, {"manifold_pressure", "engine_speed"}},
    {"pressure-scale",
     "Pressure sensor off",
     {"map_sensor_slope"},
     {"manifold_pressure", "barometric_pressure"},
     {"throttle"}},
    {"meter-dead", "Airflow meter silent", {}, {"meter_frequency", "engine_speed"}},
    {"meter-disagrees",
     "Airflow meter against speed-density",
     {"ve_map"},
     {"meter_airflow", "engine_speed", "manifold_pressure"}},
    {"intake-leak", "Air leaks in past the meter", {}, {"long_trim", "airflow", "lambda_measured"}},
    {"boost-leak", "Boost leaks out", {}, {"meter_airflow", "manifold_pressure", "wastegate_duty_now"}, {}, kPull},
    {"throttle-offset", "Throttle sensor off", {}, {"throttle", "throttle_target"}},
    {"pedal-dead", "Pedal silent", {}, {"pedal", "engine_speed"}},
    {"coolant-stuck", "Coolant sensor stuck", {}, {"coolant", "engine_speed"}},
    {"intake-stuck", "Intake air sensor stuck", {}, {"intake_temperature", "engine_speed"}},
    {"heat-soak", "Intake air sensor soaked with heat", {}, {"intake_temperature", "vehicle_speed"}},
    {"wheel-dead", "Road speed silent", {}, {"vehicle_speed", "engine_speed"}, {"gear"}},
    {"speed-scale", "Road speed off", {"wheel_pulses"}, {"vehicle_speed", "engine_speed", "gear"}},
    {"clutch-slips", "Clutch slips", {}, {"vehicle_speed", "engine_speed", "gear", "torque_actual"}, {}, kPull},
    {"battery-low", "Battery voltage low", {}, {"battery"}},
    {"fuel-pressure-falls", "Fuel pressure falls with the flow", {}, {"lambda_measured", "lambda_asked", "fuel_rate"}},
    {"regulator", "Fuel pressure does not follow the manifold", {}, {"lambda_measured", "manifold_pressure"}},
    {"one-cylinder", "One cylinder lean", {}, {"lambda_measured", "narrowband", "engine_speed"}},
    {"misfire", "Misfire", {}, {"lambda_measured", "engine_speed"}},
    {"injector-at-limit",
     "Injector at its least pulse or its limit",
     {"injector_least_pulse", "duty_limit"},
     {"injector_pulse", "injector_duty"}},
    {"knock", "Knock", {}, {"knock_retard", "engine_speed", "spark"}, {"knock_events"}, kKnock},
    {"knock-deaf", "Knock sensor deaf", {}, {"knock_retard", "spark", "engine_speed"}},
    {"knock-false", "Knock that is none", {}, {"knock_retard", "spark", "engine_speed"}, {"throttle", "gear"}, kKnock},
    {"octane-low", "Fuel of low octane", {}, {"knock_retard", "octane_factor"}},
    {"wastegate-stuck-open",
     "Wastegate stays open",
     {},
     {"manifold_pressure", "boost_target_now", "wastegate_duty_now"},
     {},
     kPull},
    {"underboost", "Boost below its target", {}, {"manifold_pressure", "boost_target_now"}, {}, kPull},
    {"wastegate-stuck-shut",
     "Wastegate stays shut",
     {},
     {"manifold_pressure", "boost_target_now", "wastegate_duty_now"},
     {},
     kPull},
    {"overboost", "Boost above its target", {}, {"manifold_pressure", "boost_target_now"}, {}, kPull},
    {"throttle-closes", "Throttle closes under full pedal", {}, {"throttle", "pedal"}, {"torque_request"}, kPull},
    {"fuel-changed", "Another fuel", {}, {"lambda_measured", "short_trim", "long_trim"}, {}, kRefuel},
    {"purge-suspected", "Vapour from the canister", {}, {"short_trim", "airflow"}, {"purge_duty_now"}},
    {"lean-under-load", "Lean under load", {}, {"lambda_measured", "lambda_asked", "manifold_pressure"}, {}, kPull},
    {"rich-under-load", "Rich under load", {}, {"lambda_measured", "lambda_asked", "manifold_pressure"}, {}, kPull},
    {"lean-tip-in", "Lean after a tip-in", {}, {"lambda_measured", "lambda_asked", "throttle"}, {}, kTipIn},
    {"rich-tip-in", "Rich after a tip-in", {}, {"lambda_measured", "lambda_asked", "throttle"}, {}, kTipIn},
    {"idle-off", "Idle off its target", {}, {"engine_speed", "idle_target", "idle_active"}, {}, kIdle},
    {"idle-hunts", "Idle hunts", {}, {"engine_speed", "idle_active"}, {"idle_integral", "spark"}, kIdle},
    {"hard-start", "Starts late", {}, {"engine_speed", "engine_state"}, {"coolant"}, kStart},
    {"trim-at-stop", "Trims at their stop", {"loop_limit", "learn_limit"}, {"short_trim", "long_trim"}},
    {"limp-mode", "Limp mode", {}, {"limp_mode"}, {}, kLimp},
    {"limit-hit", "A limit was hit", {}, {"fuel_cut", "engine_speed"}, {"boost_cut_now"}, kLimit},
    {"axis-mismatch", "Recorded and looked-up values differ", {}, {"engine_speed"}},
    {"wrong-round", "Recorded on other bytes", {}, {"engine_speed"}},
    {"trims-kept", "Learned values that outlived their map", {}, {"long_trim"}, {"learned_trim_0", "learned_trim_1"}},
    {"fuel-path",
     "Trims and pulses tell different mixtures",
     {"injector_flow", "injector_dead_time"},
     {"injector_pulse", "short_trim", "long_trim", "lambda_asked"}},
    {"gaps", "Samples are missing", {}, {"engine_speed"}, {}, kGap},
};

/// By its id, among kinds or checks; null for none of that name.
constexpr const Need* needOf(std::span<const Need> table, std::string_view id) {
    for (const Need& need : table)
        if (need.id == id) return &need;
    return nullptr;
}

}  // namespace brusk::roles
