// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/definition/Roles.h"

#include <algorithm>
#include <array>

#include "core/base/Text.h"
#include "core/units/Units.h"

namespace brusk::definition {
namespace {

using Kind = Parameter::Kind;

constexpr RoleMeaning value(std::string_view role, std::string_view title, std::string_view unit,
                            std::string_view words) {
    return {role, title, false, Kind::Value, unit, {}, {}, words};
}
constexpr RoleMeaning curve(std::string_view role, std::string_view title, std::string_view unit, std::string_view x,
                            std::string_view words) {
    return {role, title, false, Kind::Curve, unit, x, {}, words};
}
constexpr RoleMeaning map(std::string_view role, std::string_view title, std::string_view unit, std::string_view x,
                          std::string_view y, std::string_view words) {
    return {role, title, false, Kind::Map, unit, x, y, words};
}
constexpr RoleMeaning channel(std::string_view role, std::string_view title, std::string_view unit,
                              std::string_view words) {
    return {role, title, true, Kind::Value, unit, {}, {}, words};
}

constexpr std::array kRoles = {
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
    channel("lambda_asked", "lambda asked", "lambda", "lambda|afr|mixture ask|command|target|want|desired"),
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
};

template <class Each>
void eachPart(std::string_view text, char parting, Each each) {
    while (!text.empty()) {
        const size_t end = text.find(parting);
        if (const auto part = text.substr(0, end); !part.empty()) each(part);
        if (end == std::string_view::npos) return;
        text.remove_prefix(end + 1);
    }
}

/// Lower case, everything but letters and digits a blank, one before the first word.
std::string wordsOf(std::string_view text) {
    std::string out = " ";
    char before = ' ';
    for (const char c : text) {
        const bool letter = std::isalnum(static_cast<unsigned char>(c));
        const bool upper = c >= 'A' && c <= 'Z';
        if (letter && upper && before >= 'a' && before <= 'z') out += ' ';  // "boostTarget"
        out += letter ? static_cast<char>(std::tolower(static_cast<unsigned char>(c))) : ' ';
        before = c;
    }
    return out;
}

/// 1: of the same quantity; 0.5: nobody can tell; 0: of another.
double fits(std::string_view unit, std::string_view wanted) {
    if (unit == wanted) return 1;
    const auto *have = units::findUnit(unit), *want = units::findUnit(wanted);
    if (have && want) return have->quantity == want->quantity ? 1 : 0;
    // A unit where none is wanted, or a known one where a peculiar one is.
    if (have || want) return unit.empty() || wanted.empty() ? 0.3 : 0;
    return 0.5;
}

/// How much of the role's words a thing's names and description have; the words found are collected.
double wordScore(const RoleMeaning& role, const std::string& names, const std::string& description,
                 std::vector<std::string>& found) {
    double score = 0;
    int groups = 0;
    eachPart(role.words, ' ', [&](std::string_view group) {
        ++groups;
        double best = 0;
        std::string which;
        eachPart(group, '|', [&](std::string_view word) {
            const std::string begins = " " + std::string(word);
            const double here = names.find(begins) != std::string::npos         ? 1
                                : description.find(begins) != std::string::npos ? 0.6
                                                                                : 0;
            if (here > best) best = here, which = word;
        });
        score += best;
        if (best > 0 && std::find(found.begin(), found.end(), which) == found.end()) found.push_back(which);
    });
    return groups ? score / groups : 0;
}

struct Thing {
    std::string_view name, label, description, unit;
};

void consider(const RoleMeaning& role, const Thing& thing, uint32_t index, double unitFit,
              std::vector<RoleGuess>& out) {
    constexpr double kLeast = 0.55;
    if (unitFit <= 0) return;
    std::vector<std::string> found;
    const double words = wordScore(role, wordsOf(thing.name) + wordsOf(thing.label), wordsOf(thing.description), found);
    const double score = words * (0.6 + 0.4 * unitFit);
    if (score < kLeast) return;
    std::string reason;
    for (const std::string& word : found)
        reason += (reason.empty() ? "\"" : ", \"") + word + "\"";
    if (unitFit >= 1 && !role.unit.empty()) reason += "; unit " + std::string(thing.unit);
    out.push_back({index, score, reason});
}

}  // namespace

std::span<const RoleMeaning> knownRoles() {
    return kRoles;
}

const RoleMeaning* knownRole(std::string_view role) {
    const auto at = std::find_if(kRoles.begin(), kRoles.end(), [&](const auto& r) { return r.role == role; });
    return at == kRoles.end() ? nullptr : &*at;
}

std::vector<RoleGuess> guessRole(const Definition& d, const RoleMeaning& role, size_t most) {
    std::vector<RoleGuess> out;
    if (role.measured) {
        for (uint32_t i = 0; i < d.measurements.size(); ++i) {
            const Measurement& m = d.measurements[i];
            if (!m.role.empty() || m.elements != 1) continue;
            consider(role, {m.name, m.label, m.description, d.unitOf(m)}, i, fits(d.unitOf(m), role.unit), out);
        }
    } else {
        for (uint32_t i = 0; i < d.parameters.size(); ++i) {
            const Parameter& p = d.parameters[i];
            if (!p.role.empty() || p.kind != role.kind) continue;
            double fit = fits(d.unitOf(p), role.unit);
            for (const auto& [axis, unit] : {std::pair<size_t, std::string_view>{0, role.x}, {1, role.y}})
                if (fit > 0 && !unit.empty()) fit = std::min(fit, fits(d.axisUnitOf(p, axis), unit));
            consider(role, {p.name, p.label, p.description, d.unitOf(p)}, i, fit, out);
        }
    }
    std::stable_sort(out.begin(), out.end(), [](const auto& a, const auto& b) { return a.score > b.score; });
    if (out.size() > most) out.resize(most);
    return out;
}

std::vector<MissingRole> missingRoles(const Definition& d, size_t most) {
    std::vector<MissingRole> out;
    for (const RoleMeaning& role : kRoles) {
        if (role.measured ? d.measurementWithRole(role.role) != nullptr : d.parameterWithRole(role.role) != nullptr)
            continue;
        if (auto guesses = guessRole(d, role, most); !guesses.empty()) out.push_back({&role, std::move(guesses)});
    }
    return out;
}

}  // namespace brusk::definition
