// The table of roles.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <array>
#include <cstdint>
#include <string_view>

namespace brusk::roles {

/// What plays a role: something measured, or a parameter of this shape.
enum class Shape : uint8_t { Channel, Value, Block, Curve, Map };

/// One role that Brusk knows.
struct Meaning {
    std::string_view id;
    std::string_view title;  ///< as a tuner says it
    Shape shape = Shape::Value;
    std::string_view unit;  ///< one of its quantity; empty: a number without one, a switch or a choice
    std::string_view x, y;  ///< units of its axes
    /// Words that its name or description has: blanks part them, a bar parts words for the same thing.
    std::string_view words;

    constexpr bool measured() const { return shape == Shape::Channel; }
};

namespace table {
constexpr Meaning value(std::string_view id, std::string_view title, std::string_view unit, std::string_view words) {
    return {id, title, Shape::Value, unit, {}, {}, words};
}
constexpr Meaning block(std::string_view id, std::string_view title, std::string_view unit, std::string_view words) {
    return {id, title, Shape::Block, unit, {}, {}, words};
}
constexpr Meaning curve(std::string_view id, std::string_view title, std::string_view unit, std::string_view x,
                        std::string_view words) {
    return {id, title, Shape::Curve, unit, x, {}, words};
}
constexpr Meaning map(std::string_view id, std::string_view title, std::string_view unit, std::string_view x,
                      std::string_view y, std::string_view words) {
    return {id, title, Shape::Map, unit, x, y, words};
}
constexpr Meaning channel(std::string_view id, std::string_view title, std::string_view unit, std::string_view words) {
    return {id, title, Shape::Channel, unit, {}, {}, words};
}

inline constexpr std::array kAll = {
    value("displacement", "displacement", "cm3", "displacement|swept|capacity"),
    value("cylinders", "number of cylinders", "", "cylinders|cyl number|count|cylinders"),
    value("air_model", "choice of air model", "", "air|load model|source|mode|select"),
    value("changeover_on", "changeover to the meter above", "rpm", "change|switch|transition on|above|upper|enter"),
    value("changeover_off", "changeover back below", "rpm", "change|switch|transition off|below|lower|leave"),
    value("air_fallback", "fall back when a sensor fails", "", "fall|substitut|default fail|fault|sensor"),
    map("ve_map", "volumetric efficiency", "%", "rpm", "kPa", "volumetric|ve|filling efficiency|ve|map|table"),
    curve("meter_curve", "airflow meter curve", "kg/h", "", "airflow|maf|hfm|meter curve|transfer|characteristic|scal"),
    curve("meter_fill", "manifold filling", "%", "rpm", "manifold|intake fill|filter|share"),
    value("map_sensor_slope", "pressure sensor slope", "kPa/V", "pressure|map|manifold slope|gain|scal"),
    value("map_sensor_offset", "pressure sensor offset", "kPa", "pressure|map|manifold sensor offset|zero"),
    curve("coolant_sensor", "coolant sensor curve", "\u00b0C", "V", "coolant|ect|clt sensor|curve|scal|thermistor"),
    curve("intake_sensor", "intake air sensor curve", "\u00b0C", "V", "intake|iat|air|charge sensor|curve|thermistor"),
    value("injector_flow", "injector flow", "cm3/min", "inj flow|size|rate|constant"),
    curve("injector_dead_time", "injector dead time", "us", "V", "inj dead|latency|lag|offset|battery"),
    value("injector_least_pulse", "least injector pulse", "us", "inj|pulse least|min|shortest"),
    value("duty_limit", "injector duty limit", "%", "inj duty limit|max"),
    value("fuel_density", "fuel density", "g/cm3", "fuel density"),
    value("stoichiometric_ratio", "stoichiometric ratio", "", "stoich|afr ratio|stoich|afr"),
    map("lambda_map", "lambda wanted", "lambda", "rpm", "", "lambda|mixture|afr want|target|base|map|command"),
    curve("warm_up", "warm-up enrichment", "%", "\u00b0C", "warm enrich|fuel"),
    curve("after_start", "after-start enrichment", "%", "\u00b0C", "after start"),
    value("full_load_on", "full-load enrichment on", "", "full|power|wot load|enrich|mode enable|on|switch|enrich"),
    value("full_load_pedal", "full load above pedal", "%", "full|power|wot pedal|throttle|accelerator"),
    value("full_load_return", "full load ends below pedal", "%", "full|power|wot end|return|exit|off|below pedal"),
    value("full_load_pressure", "full load above pressure", "kPa", "full|power|wot pressure|map"),
    value("full_load_speed", "full load above speed", "rpm", "full|power|wot speed|rpm"),
    value("full_load_delay", "full-load delay", "s", "full|power|wot delay|time"),
    value("full_load_ramp", "full-load ramp", "1/s", "full|power|wot ramp|rate"),
    curve("full_load_lambda", "full-load lambda", "lambda", "rpm", "full|power|wot lambda|afr|mixture"),
    curve("film_share", "wall-film share", "%", "\u00b0C", "film|wall|puddle share|fraction|part"),
    curve("film_time", "wall-film time", "ms", "\u00b0C", "film|wall|puddle time"),
    map("spark_map", "base spark", "\u00b0", "rpm", "", "spark|ignition|timing|advance base|main|map|safe"),
    map("spark_octane", "spark for octane", "\u00b0", "rpm", "", "spark|ignition|timing|advance octane|knock|adder"),
    value("octane_start", "octane factor at first", "%", "octane start|initial|first"),
    curve("spark_charge", "spark for intake air", "\u00b0", "\u00b0C", "spark|ignition|timing intake|charge|iat|air"),
    value("spark_idle", "spark at idle", "\u00b0", "spark|ignition|timing|advance idle"),
    value("knock_limit", "knock retard limit", "\u00b0", "knock limit|max"),
    value("boost_on", "boost control on", "", "boost enable|on|switch|control"),
    map("boost_target", "boost target", "kPa", "rpm", "", "boost target|want|desired|command"),
    curve("boost_gear", "boost by gear", "", "", "boost gear"),
    map("wastegate_duty", "base wastegate duty", "%", "rpm", "", "wastegate|boost|turbo duty|base"),
    value("boost_p", "boost proportional", "%/kPa", "boost|wastegate proportional|gain|p"),
    value("boost_i", "boost integral", "%/(kPa/s)", "boost|wastegate integral|integrator|i"),
    value("boost_d", "boost rise damping", "%/(kPa/s)", "boost|wastegate damp|derivative|differential|d"),
    value("boost_cut", "boost cut", "kPa", "boost|overboost cut|limit"),
    curve("idle_speed", "idle speed", "rpm", "\u00b0C", "idle speed|rpm|target"),
    curve("idle_air", "idle base air", "%", "\u00b0C", "idle air|throttle|base"),
    curve("spark_coolant", "spark for coolant", "\u00b0", "\u00b0C", "spark|ignition|timing coolant|engine|ect"),
    map("pedal_map", "torque asked for by the pedal", "Nm", "%", "km/h", "pedal|driver|accelerator torque|demand"),
    curve("torque_ceiling", "torque ceiling", "Nm", "rpm", "torque ceil|limit|max"),
    map("air_for_torque", "air for torque", "mg", "rpm", "Nm", "air|load torque"),
    map("torque_for_air", "torque for air", "Nm", "rpm", "mg", "torque air|load"),
    map("throttle_for_air", "throttle for air", "%", "rpm", "mg", "throttle air|load"),
    value("rev_limit", "rev limit", "rpm", "rev|rpm|speed limit|max|cut"),
    curve("rev_limit_cold", "rev limit when cold", "rpm", "\u00b0C", "rev|rpm|speed limit|max cold|coolant|temp"),
    value("speed_limit", "road speed limit", "km/h", "speed limit|max"),
    value("load_limit", "load limit", "mg", "load|air limit|max"),
    value("wheel_pulses", "wheel pulses", "1/km", "wheel|speed pulse"),
    curve("gear_ratio", "gear ratios", "rpm/(km/h)", "", "gear ratio"),
    value("fan_on", "fan on", "\u00b0C", "fan on|start"),
    value("fan_off", "fan off", "\u00b0C", "fan off|stop"),
    value("fan_high_on", "second fan on", "\u00b0C", "fan second|high|stage on|start"),
    value("fan_high_off", "second fan off", "\u00b0C", "fan second|high|stage off|stop"),
    value("diag_meter_range", "airflow meter check on", "", "airflow|maf|meter|p0101 range|p0101|rational|disagree"),
    value("diag_meter_low", "airflow meter low check on", "", "airflow|maf|meter|p0102 low|p0102"),
    value("diag_meter_high", "airflow meter high check on", "", "airflow|maf|meter|p0103 high|p0103"),
    value("diag_pressure_low", "pressure sensor low check on", "", "pressure|map|manifold|p0107 low|p0107"),
    value("diag_pressure_high", "pressure sensor high check on", "", "pressure|map|manifold|p0108 high|p0108"),
    value("diag_plausibility", "plausibility check on", "", "plausib|p0068|rational"),
    map("expected_pressure", "pressure expected", "kPa", "rpm", "%", "pressure|map expect|model"),
    curve("plaus_pressure", "pressure plausibility limit", "kPa", "rpm", "pressure|map plausib|deviation|limit"),

    curve("charge_blend", "charge temperature blend", "%", "kg/h", "charge temp|blend|mix blend|share|weight"),
    curve("filling_altitude", "filling against altitude", "", "kPa",
          "volumetric|ve|filling altitude|baro|ambient|weather factor|altitude|baro|correction"),
    block("bank_trim", "fuel of each bank", "%", "bank trim|balance|fuel|offset"),
    value("protect_temp", "fuel protects the exhaust above", "\u00b0C", "protect|component|exhaust temp|above|limit"),
    value("film_on", "wall film considered", "", "film|wall|puddle on|enable|switch|compens"),
    value("cut_begins", "overrun cut begins", "rpm", "cut|dfco|overrun begin|above|enter|on"),
    value("cut_ends", "overrun cut ends", "rpm", "cut|dfco|overrun end|below|exit|return|off"),
    value("loop_on", "lambda loop on", "", "loop|closed|lambda on|enable|switch"),
    value("loop_coolant", "lambda loop from coolant", "\u00b0C", "loop|closed|lambda coolant|ect|temp"),
    value("loop_wait", "lambda loop waits after start", "s", "loop|closed|lambda wait|delay|time"),
    curve("loop_jump", "lambda loop jump", "%", "kg/h", "loop|lambda jump|step|proportional"),
    curve("loop_ramp", "lambda loop ramp", "%/s", "kg/h", "loop|lambda ramp|integr|rate"),
    value("loop_limit", "short trim limit", "%", "loop|short|trim|lambda limit|max"),
    value("learn_limit", "long trim limit", "%", "learn|long|adapt limit|max"),
    value("learn_rate", "long trim rate", "%/s", "learn|long|adapt rate|speed"),
    block("learn_borders", "long trim zones", "kg/h", "learn|long|adapt border|zone|range"),
    curve("dwell", "coil dwell", "ms", "V", "dwell|coil"),
    value("knock_on", "knock control on", "", "knock on|enable|switch|control"),
    curve("knock_threshold", "knock threshold", "V", "rpm", "knock threshold|level|limit"),
    value("knock_step", "knock retard step", "\u00b0", "knock step|retard|attack"),
    value("knock_decay", "knock retard decay", "\u00b0/s", "knock decay|recover|return|advance"),
    value("idle_p", "idle proportional", "%/100rpm", "idle proportional|gain|p"),
    value("idle_i", "idle integral", "%/100rpm", "idle integral|integrator|i"),
    value("purge_on", "purge on", "", "purge|canister|evap on|enable|switch"),
    value("diag_lean", "lean code on", "", "p0171|lean on|code|p0171|check"),
    value("diag_rich", "rich code on", "", "p0172|rich on|code|p0172|check"),
    value("diag_trim", "trim for a code", "%", "trim code|limit|fault"),
    value("limp_on", "limp mode on faults", "", "limp on|fault|enable"),
    curve("plaus_airflow", "airflow plausibility limit", "%", "rpm", "airflow|maf plausib|deviation|limit"),

    channel("engine_speed", "engine speed", "rpm", "engine|crank speed|rpm|revs"),
    channel("manifold_pressure", "manifold pressure", "kPa", "manifold|map pressure|absolute|map"),
    channel("throttle", "throttle", "%", "throttle|tps"),
    channel("pedal", "pedal", "%", "pedal|accelerator"),
    channel("coolant", "coolant temperature", "\u00b0C", "coolant|ect|engine"),
    channel("intake_temperature", "intake temperature", "\u00b0C", "intake|iat|charge air|temp|intake"),
    channel("battery", "battery voltage", "V", "battery|supply|system"),
    channel("barometric_pressure", "air pressure outside", "kPa", "baro|ambient|weather|atmospher"),
    channel("vehicle_speed", "vehicle speed", "km/h", "vehicle|road|wheel speed"),
    channel("gear", "gear", "", "gear"),
    channel("airflow", "airflow", "kg/h", "air flow|airflow|mass"),
    channel("meter_frequency", "airflow meter frequency", "Hz", "maf|airflow|meter freq"),
    channel("air_per_cylinder", "air per cylinder", "mg", "air|load cyl|stroke|charge"),
    channel("lambda_asked", "lambda asked", "lambda", "lambda|afr|mixture ask|command|cmd|target|want|desired"),
    channel("short_trim", "short trim", "%", "short trim|correction"),
    channel("long_trim", "long trim", "%", "long trim|correction|learn"),
    channel("injector_pulse", "injector pulse", "us", "inj|pulse pulse|time|width"),
    channel("injector_duty", "injector duty", "%", "inj duty"),
    channel("fuel_cut", "fuel cut", "", "fuel cut"),
    channel("spark", "spark", "\u00b0", "spark|ignition|timing|advance"),
    channel("knock_retard", "knock retard", "\u00b0", "knock retard|correct|pull"),
    channel("boost_target_now", "boost target", "kPa", "boost target|want|desired"),
    channel("idle_target", "idle target", "rpm", "idle target|want|desired"),
    channel("idle_active", "idle control", "", "idle active|control|on"),
    channel("torque_request", "torque asked for", "Nm", "torque ask|request|demand|want"),
    channel("torque_actual", "torque now", "Nm", "torque now|actual|current"),
    channel("limp_mode", "limp mode", "", "limp"),
    channel("throttle_target", "throttle wanted", "%", "throttle want|target|desired|command"),
    channel("wastegate_duty_now", "wastegate duty", "%", "wastegate|boost|turbo duty"),
    channel("purge_duty_now", "purge valve", "%", "purge|canister|evap"),
    channel("idle_learned", "idle air learned", "%", "idle learn|adapt"),
    channel("octane_factor", "octane factor learned", "%", "octane factor|learn"),
    channel("lambda_measured", "wideband lambda", "lambda", "lambda|wideband|afr|o2 measured|actual|wideband|sensor"),
    channel("lambda_measured_2", "wideband lambda, bank 2", "lambda",
            "lambda|wideband|afr|o2 measured|actual|wideband|sensor 2|b2"),
    channel("wideband_ready", "wideband ready", "", "wideband|lambda|sensor ready|status|heated"),
    channel("short_trim_2", "short trim, bank 2", "%", "short trim|correction 2|b2"),
    channel("long_trim_2", "long trim, bank 2", "%", "long trim|correction|learn 2|b2"),
    channel("learned_trim_0", "long trim, least air", "%", "long|learn trim|correction least|0"),
    channel("learned_trim_1", "long trim, little air", "%", "long|learn trim|correction little|1"),
    channel("learned_trim_2", "long trim, more air", "%", "long|learn trim|correction more|2"),
    channel("learned_trim_3", "long trim, most air", "%", "long|learn trim|correction most|3"),
    channel("learned_trim_0_2", "long trim, least air, bank 2", "%", "long|learn trim|correction least|0 b2|2"),
    channel("learned_trim_1_2", "long trim, little air, bank 2", "%", "long|learn trim|correction little|1 b2|2"),
    channel("learned_trim_2_2", "long trim, more air, bank 2", "%", "long|learn trim|correction more b2|2"),
    channel("learned_trim_3_2", "long trim, most air, bank 2", "%", "long|learn trim|correction most|3 b2|2"),
    channel("learn_zone", "trim zone", "", "trim|learn|long zone|cell"),
    channel("loop_state", "lambda loop", "", "loop|closed|fuel state|status|loop"),
    channel("loop_state_2", "lambda loop, bank 2", "", "loop|closed|fuel state|status|loop 2|b2"),
    channel("narrowband", "narrowband sensor", "V", "narrow|o2|oxygen|lambda volt|sensor|narrow"),
    channel("narrowband_2", "narrowband sensor, bank 2", "V", "narrow|o2|oxygen|lambda volt|sensor|narrow 2|b2"),
    channel("spare_input", "spare input", "V", "spare|aux|user input|volt|spare"),
    channel("engine_state", "engine state", "", "engine state|mode"),
    channel("air_source", "air source", "", "air|load source"),
    channel("filling", "filling", "%", "filling|volumetric|charge"),
    channel("meter_airflow", "airflow by the meter", "kg/h", "maf|meter|hfm flow|air|mass"),
    channel("air_by_density", "air by speed-density", "mg", "air|load density|ve|speed"),
    channel("air_by_meter", "air by the meter", "mg", "air|load meter|maf"),
    channel("ve_now", "volumetric efficiency used", "%", "volumetric|ve used|now|actual"),
    channel("dead_time_now", "dead time used", "us", "inj|dead dead|latency|lag now|used"),
    channel("charge_temperature", "charge temperature", "\u00b0C", "charge|cylinder temp"),
    channel("exhaust_temperature", "exhaust temperature", "\u00b0C", "exhaust|egt temp|exhaust|egt"),
    channel("fuel_mass", "fuel injected", "mg", "fuel mass|injected|amount"),
    channel("fuel_rate", "fuel consumption", "l/h", "fuel rate|consum|flow"),
    channel("full_load_state", "full-load state", "", "full|power|wot load|enrich|mode state|status|active"),
    channel("spark_base_part", "spark, base part", "\u00b0", "spark|ignition|timing|advance base|main"),
    channel("spark_octane_part", "spark, octane part", "\u00b0",
            "spark|ignition|timing|advance|octane octane part|octane"),
    channel("spark_charge_part", "spark, intake air part", "\u00b0",
            "spark|ignition|timing|advance|intake intake|charge|iat part"),
    channel("spark_coolant_part", "spark, coolant part", "\u00b0",
            "spark|ignition|timing|advance|coolant coolant|ect part"),
    channel("knock_events", "knocks heard", "", "knock count|events|heard"),
    channel("boost_cut_now", "boost cut now", "", "boost|overboost cut"),
    channel("boost_error", "boost missing", "kPa", "boost error|missing|deviation"),
    channel("boost_i_part", "boost integral part", "%", "boost|wastegate integral|integrator"),
    channel("idle_integral", "idle integral part", "%", "idle integral|integrator"),
    channel("idle_air_now", "idle air", "%", "idle air|throttle"),
    channel("fan", "fan", "", "fan"),
    channel("expected_pressure_now", "pressure expected now", "kPa", "pressure|map expect|model"),
    channel("pressure_deviation", "pressure deviation", "kPa", "pressure|map deviation|plausib"),
    channel("pressure_deviation_most", "greatest pressure deviation", "kPa",
            "pressure|map|deviation greatest|most|max deviation|plausib"),
    channel("fuel_pressure", "fuel pressure", "kPa", "fuel|rail pressure"),
};
}  // namespace table

inline constexpr const auto& kRoles = table::kAll;

}  // namespace brusk::roles
