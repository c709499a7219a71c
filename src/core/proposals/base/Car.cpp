// Torque, revs, driveline, cooling, and where the air estimate comes from.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>

#include "core/base/Text.h"
#include "core/proposals/base/Draft.h"

namespace brusk::proposals {
namespace {

/// Torque over the original's at a speed: air goes with pressure times filling.
double stronger(const calibration::Table& targetWas, const calibration::Table& targetIs,
                const calibration::Table& veWas, const calibration::Table& veIs, double rpm) {
    const auto most = [&](const calibration::Table& target) {
        return target.values.empty()
                   ? kWeather_kPa
                   : std::max(kWeather_kPa, calibration::surfaceAt(target, rpm, target.y.values.back()));
    };
    const double was = most(targetWas), is = most(targetIs);
    return is * calibration::surfaceAt(veIs, rpm, is) / (was * calibration::surfaceAt(veWas, rpm, was));
}

struct Stronger {
    calibration::Table targetWas, targetIs, veWas, veIs;
    double size = 1;  ///< displacement now over its maker's
    explicit Stronger(Draft& d)
        : targetWas(d.original("boost_target")), veWas(d.original("ve_map")), veIs(d.table("ve_map")), size(d.size()) {
        if (d.plays("boost_target")) targetIs = d.table("boost_target");
    }
    bool known() const { return !veWas.values.empty() && !veIs.values.empty(); }
    double at(double rpm) const { return size * stronger(targetWas, targetIs, veWas, veIs, rpm); }
    double most(const std::vector<double>& speeds) const {
        double out = 0;
        for (const double rpm : speeds)
            out = std::max(out, at(rpm));
        return out;
    }
};

void torqueCeiling(Draft& d) {
    const Stronger stronger(d);
    const auto ceiling = d.table("torque_ceiling");
    if (!stronger.known() || ceiling.values.empty()) return;
    const double most = stronger.most(ceiling.x.values);
    if (most < 1.02) return;
    d.each("torque_ceiling",
           [&](double rpm, double, double torque) { return torque * std::max(1.0, stronger.at(rpm)); });
    d.reason =
        "The ceiling must lie above what the engine can give, or the throttle closes in boost. Torque goes with air: "
        "pressure times filling times swept volume.";
    d.formula = "ceiling x (pressure x filling now) / (pressure x filling of its maker)" +
                (stronger.size != 1 ? " x " + text(stronger.size, 3) + " (displacement)" : std::string()) +
                " at each speed, at most x " + text(most, 2);
    d.check = "throttle stays open at full pedal in boost";
}

void airForTorque(Draft& d) {
    const auto map = d.table("air_for_torque");
    const auto ceiling = d.table("torque_ceiling");
    if (map.y.values.empty() || ceiling.values.empty()) return;
    const double wanted = greatest(ceiling) * 1.08;
    if (map.y.values.back() >= wanted * 0.98 || greatest(ceiling) <= greatest(d.original("torque_ceiling"))) return;
    d.move("air_for_torque", 1, calibration::stretched(map.y.values, map.y.values.front(), wanted));
    d.reason =
        "Torque beyond the last breakpoint would be given the air of the last one. The axis is stretched, the surface "
        "goes on by its last slope.";
    d.formula = "highest ceiling " + text(greatest(ceiling)) + " Nm + 8 % for friction = " + text(wanted) +
                " Nm; the axis "
                "ended at " +
                text(map.y.values.back()) + " Nm";
    d.check = "torque now against torque asked for at full pedal";
}

void pedalMap(Draft& d) {
    const auto now = d.table("torque_ceiling"), was = d.original("torque_ceiling");
    if (now.values.empty()) return;
    const double computed = greatest(now) / greatest(was);
    if (computed < 1.02) return;
    const double factor = d.choose(computed, "times");
    d.each("pedal_map", [&](double, double, double torque) { return torque > 0 ? torque * factor : torque; });
    d.reason = "The pedal asks for the same share of what the engine can give as before.";
    d.formula =
        "positive requests x " + text(greatest(now)) + " / " + text(greatest(was)) + " Nm = x " + text(computed, 3);
    d.check = "how the first third of the pedal feels in town";
}

void tyres(Draft& d) {
    const double now = d.fitted(Fact::TyreCircumference), was = d.stock(Fact::TyreCircumference);
    const bool geared = d.has(Fact::FinalDrive);
    const double final = geared ? d.fitted(Fact::FinalDrive) / d.stock(Fact::FinalDrive) : 1;
    const double rolls = d.choose(was / now, "times");
    d.set("wheel_pulses", d.value("wheel_pulses") * rolls);
    d.each("gear_ratio", [&](double, double, double ratio) { return ratio * final * rolls; });
    d.reason =
        "Pulses and revolutions for a kilometre go with the wheel's way around. Wrong, the road speed, the speed limit "
        "and the gear are wrong.";
    d.formula = "pulses x " + text(was) + " mm / " + text(now) + " mm = x " + text(was / now, 4) +
                "; engine speed per road speed x " + text(final * was / now, 4) +
                (geared ? " (final drive " + text(final, 3) + ")" : std::string());
    d.check = "road speed against a navigation device; gear shown in every gear";
}

void fans(Draft& d) {
    const double was = d.value("fan_on");
    const bool wanted = d.has(Fact::FanOn);
    const double computed =
        wanted ? d.fitted(Fact::FanOn) : was + d.fitted(Fact::Thermostat) - d.stock(Fact::Thermostat);
    const double shift = d.choose(computed, "\u00b0C") - was;
    constexpr roles::Role kStages[] = {"fan_on", "fan_off", "fan_high_on", "fan_high_off"};
    for (const roles::Role role : kStages)
        if (d.plays(role)) d.set(role, d.value(role) + shift);
    const std::string by = std::string(computed < was ? "- " : "+ ") + text(std::abs(computed - was)) + " K";
    d.reason = std::string(wanted ? "The fan starts where its owner wants it; " : "The fan starts as far above the ") +
               (wanted ? "" : "thermostat as before; started below it, it would never stop. ") +
               (wanted ? "every" : "Every") + " stage moves by as much and keeps its hysteresis.";
    d.formula = wanted ? "fan on at " + text(computed) + " \u00b0C, was " + text(was) + " \u00b0C: all on and off " + by
                       : "thermostat " + text(d.fitted(Fact::Thermostat)) + " - " + text(d.stock(Fact::Thermostat)) +
                             " \u00b0C: all on and off " + by;
    d.check = "the fan starts and stops while idling warm";
}

/// The number behind a choice of the air model; every maker counts and words it its own way.
std::optional<double> choiceOf(Draft& d, LoadModel wanted) {
    // By model, as LoadModel counts; likeliest first, a stroke between.
    constexpr std::string_view kWords[] = {"", "speed-density|speed density|speed/density|map|pressure",
                                           "airflow meter|air flow meter|airflow|air mass|maf|meter",
                                           "both|blend|changeover"};
    const auto* parameter = d.now().definition().parameterWithRole("air_model");
    if (!parameter) return std::nullopt;
    std::string_view words = kWords[static_cast<size_t>(wanted)];
    while (!words.empty()) {
        const std::string_view word = words.substr(0, words.find('|'));
        for (const auto& choice : d.now().definition().conversionOf(*parameter).texts)
            if (toLower(choice.text).starts_with(word)) return choice.low;
        words.remove_prefix(std::min(words.size(), word.size() + 1));
    }
    return std::nullopt;
}

/// Sets the switches that are there and adds their names to a list.
void turn(Draft& d, std::initializer_list<roles::Role> all, bool on, std::string& names) {
    for (const roles::Role role : all)
        if (d.plays(role)) {
            d.set(role, on ? 1 : 0);
            names += (names.empty() ? "" : ", ") + d.table(role).parameter->title();
        }
}

/// Where one model hands over to the other; the way back lies as far below as before.
std::string changeover(Draft& d) {
    if (!d.plays("changeover_on") || !d.plays("changeover_off")) return {};
    const double was = d.value("changeover_on"), apart = was - d.value("changeover_off");
    constexpr double kLeast_rpm = 100;
    const double above = d.choose(was, "rpm"), below = above - std::max(kLeast_rpm, apart);
    d.set("changeover_on", above);
    d.set("changeover_off", below);
    return "; changeover above " + text(above) + " rpm, back below " + text(below) + " rpm";
}

void loadModel(Draft& d) {
    const LoadModel wanted = d.sheet.loadModel;
    if (wanted == LoadModel::AsBuilt) return;
    const bool meter = wanted != LoadModel::SpeedDensity, density = wanted != LoadModel::AirflowMeter;
    const auto model = choiceOf(d, wanted);
    if (!model)
        d.lack("a choice called \"" + std::string(kLoadModels[static_cast<size_t>(wanted)]) + "\" of the air model");
    d.set("air_model", model.value_or(0));
    d.formula = "air model: " + std::string(kLoadModels[static_cast<size_t>(wanted)]);
    if (wanted == LoadModel::Both) d.formula += changeover(d);
    std::string on, off;
    turn(d, {"diag_meter_range", "diag_meter_low", "diag_meter_high"}, meter, meter ? on : off);
    if (density) turn(d, {"diag_pressure_low", "diag_pressure_high"}, true, on);
    turn(d, {"air_fallback"}, true, on);
    if (!off.empty()) d.formula += "; off: " + off;
    if (!on.empty()) d.formula += "; on: " + on;
    d.reason =
        !meter ? "The VE map counts alone: it needs a right pressure sensor, whose checks stay awake. Those of the "
                 "airflow meter are silenced, since nothing depends on it."
        : density
            ? "Below the changeover the VE map counts, above it the airflow meter: its curve must fit the housing, and "
              "the checks of both sensors stay awake."
            : "The airflow meter counts: its curve must fit the housing, and its checks stay awake. The VE map is what "
              "is left when it fails, and what its range check is held against.";
    d.check = density && meter ? "fuel trims on either side of the changeover, and no step of torque at it"
                               : "fuel trims at idle, at a steady speed and with more load";
}

constexpr Rule kRules[] = {
    {"torque_ceiling", "Torque", "Torque ceiling", torqueCeiling, false, "boost_target cam_filling", "torque_ceiling"},
    {"air_for_torque", "Torque", "Air for torque", airForTorque, false, "torque_ceiling", "air_for_torque"},
    {"pedal_map", "Torque", "Pedal in shares", pedalMap, false, "torque_ceiling", "pedal_map"},
    {"tyres", "Driveline", "Tyres and final drive", tyres, false, "", "wheel_pulses"},
    {"fans", "Cooling", "Fans", fans, false, "", "fan_on"},
    {"load_model", "Load model", "Air estimate", loadModel, false, "meter_curve meter_housing pressure_sensor"},
};

}  // namespace

std::span<const Rule> carRules() {
    return kRules;
}

}  // namespace brusk::proposals
