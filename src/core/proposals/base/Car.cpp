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
    explicit Stronger(Draft& d)
        : targetWas(d.original("boost_target")), veWas(d.original("ve_map")), veIs(d.table("ve_map")) {
        if (d.plays("boost_target")) targetIs = d.table("boost_target");
    }
    bool known() const { return !veWas.values.empty() && !veIs.values.empty(); }
    double at(double rpm) const { return stronger(targetWas, targetIs, veWas, veIs, rpm); }
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
        "pressure times filling.";
    d.formula = "ceiling x (pressure x filling now) / (pressure x filling of its maker) at each speed, at most x " +
                text(most, 2);
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
    const double factor = greatest(now) / greatest(was);
    if (factor < 1.02) return;
    d.each("pedal_map", [&](double, double, double torque) { return torque > 0 ? torque * factor : torque; });
    d.reason = "The pedal asks for the same share of what the engine can give as before.";
    d.formula =
        "positive requests x " + text(greatest(now)) + " / " + text(greatest(was)) + " Nm = x " + text(factor, 3);
    d.check = "how the first third of the pedal feels in town";
}

void revLimit(Draft& d) {
    const double bears = d.fitted(Fact::RevLimit);
    d.set("rev_limit", d.choose(bears, "rpm"));
    d.reason = "What valves and pistons bear, not what the maps reach.";
    d.formula = "limit " + text(bears) + " rpm, was " + text(d.originalValue("rev_limit")) + " rpm";
    d.check = "nothing to look for before full load";
}

void tyres(Draft& d) {
    const double now = d.fitted(Fact::TyreCircumference), was = d.stock(Fact::TyreCircumference);
    const bool geared = d.has(Fact::FinalDrive);
    const double final = geared ? d.fitted(Fact::FinalDrive) / d.stock(Fact::FinalDrive) : 1;
    d.set("wheel_pulses", d.value("wheel_pulses") * was / now);
    d.each("gear_ratio", [&](double, double, double ratio) { return ratio * final * was / now; });
    d.reason =
        "Pulses and revolutions for a kilometre go with the wheel's way around. Wrong, the road speed, the speed limit "
        "and the gear are wrong.";
    d.formula = "pulses x " + text(was) + " mm / " + text(now) + " mm = x " + text(was / now, 4) +
                "; engine speed per road speed x " + text(final * was / now, 4) +
                (geared ? " (final drive " + text(final, 3) + ")" : std::string());
    d.check = "road speed against a navigation device; gear shown in every gear";
}

void fans(Draft& d) {
    const double opens = d.fitted(Fact::Thermostat), was = d.stock(Fact::Thermostat);
    const double shift = opens - was;
    d.set("fan_on", d.value("fan_on") + shift);
    d.set("fan_off", d.value("fan_off") + shift);
    d.reason =
        "The fan starts as far above the thermostat as before and keeps its hysteresis; started below it, it would "
        "never stop.";
    d.formula =
        "fan on and off " + std::string(shift < 0 ? "- " : "+ ") + text(std::abs(shift)) + " K, as the thermostat";
    d.check = "the fan starts and stops while idling warm";
}

/// The number behind a choice whose words begin so; every maker counts its own way.
std::optional<double> choiceNamed(Draft& d, std::string_view role, std::string_view words) {
    const auto* parameter = d.now().definition().parameterWithRole(role);
    if (!parameter) return std::nullopt;
    for (const auto& choice : d.now().definition().conversionOf(*parameter).texts)
        if (toLower(choice.text).starts_with(words)) return choice.low;
    return std::nullopt;
}

void loadModel(Draft& d) {
    const LoadModel wanted = d.sheet.loadModel;
    if (wanted == LoadModel::AsBuilt) return;
    const bool meter = wanted != LoadModel::SpeedDensity;
    const auto model = choiceNamed(d, "air_model", kLoadModels[static_cast<size_t>(wanted)]);
    if (!model)
        d.lack("a choice called \"" + std::string(kLoadModels[static_cast<size_t>(wanted)]) + "\" of the air model");
    d.set("air_model", model.value_or(0));
    std::string diagnostics;
    for (const char* role : {"diag_meter_range", "diag_meter_low", "diag_meter_high"})
        if (d.plays(role)) {
            d.set(role, meter ? 1 : 0);
            diagnostics += std::string(diagnostics.empty() ? "" : ", ") + d.table(role).parameter->title();
        }
    d.reason = meter ? "The airflow meter counts: its curve must fit the housing, and its checks stay awake."
                     : "The VE map counts alone: it needs a right pressure sensor. The checks of the airflow meter are "
                       "silenced, since nothing depends on it.";
    d.formula = "air model: " + std::string(kLoadModels[static_cast<size_t>(wanted)]) +
                (diagnostics.empty() ? "" : "; " + diagnostics + (meter ? " on" : " off"));
    d.check = "fuel trims in both regions of the map";
}

constexpr Rule kRules[] = {
    {"torque_ceiling", "Torque", "Torque ceiling", torqueCeiling, false, "boost_target cam_filling", "torque_ceiling"},
    {"air_for_torque", "Torque", "Air for torque", airForTorque, false, "torque_ceiling", "air_for_torque"},
    {"pedal_map", "Torque", "Pedal in shares", pedalMap, false, "torque_ceiling", "pedal_map"},
    {"rev_limit", "Engine", "Rev limit", revLimit, false},
    {"tyres", "Driveline", "Tyres and final drive", tyres, false, "", "wheel_pulses"},
    {"fans", "Cooling", "Fans", fans, false, "", "fan_on"},
    {"load_model", "Load model", "Air estimate", loadModel, false, "meter_housing pressure_sensor"},
};

}  // namespace

std::span<const Rule> carRules() {
    return kRules;
}

}  // namespace brusk::proposals
