// Sensors, airflow meter, throttle, cams, idle: what the engine breathes through.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <numbers>

#include "core/proposals/base/Draft.h"

namespace brusk::proposals {
namespace {

void pressureSensor(Draft& d) {
    const auto line = sensorLine(d.sheet).value_or(SensorLine{});
    const bool told = d.has(Fact::SensorSlope) && d.has(Fact::SensorOffset) && !lineByPoints(d.sheet);
    double v0 = 0, p0 = 0, v1 = 1, p1 = 1;
    if (!told) {
        v0 = d.fitted(Fact::SensorLowVolts), p0 = d.fitted(Fact::SensorLowPressure);
        v1 = d.fitted(Fact::SensorHighVolts), p1 = d.fitted(Fact::SensorHighPressure);
    }
    d.set("map_sensor_slope", line.slope_kPaV);
    d.set("map_sensor_offset", line.offset_kPa);
    d.reason =
        "The fitted sensor shows another pressure at the same voltage; read with the old line all air is estimated "
        "wrongly.";
    const std::string slope = text(line.slope_kPaV, 2), offset = text(line.offset_kPa, 2);
    d.formula = told ? "pressure = " + slope + " kPa/V x voltage + " + offset + " kPa, as its maker tells it"
                     : "slope = (" + text(p1) + " - " + text(p0) + ") kPa / (" + text(v1, 2) + " - " + text(v0, 2) +
                           ") V = " + slope + " kPa/V; at 0 V: " + text(p0) + " kPa - " + slope + " kPa/V x " +
                           text(v0, 2) + " V = " + offset + " kPa";
    d.check = "with the engine off the pressure is that of the weather";
}

void pressureAxis(Draft& d) {
    if (!d.has(Fact::BoostCeiling)) return;  // said by the boost
    const auto map = d.table("ve_map");
    if (map.y.values.empty()) return;
    const double reached = kWeather_kPa + d.fitted(Fact::BoostCeiling);
    const double wanted = std::ceil(reached * 1.03 / 5) * 5;
    if (map.y.values.back() >= reached) return;
    d.move("ve_map", 1, stretchedAbove(map.y.values, wanted, kWeather_kPa));
    d.reason =
        "The boost that is wanted lies beyond the last breakpoint; there the controller would read the last row for "
        "every pressure. Breakpoints above the weather are stretched, the surface is kept and goes on by its last "
        "slope.";
    d.formula = "weather " + text(kWeather_kPa, 1) + " + boost " + text(reached - kWeather_kPa) +
                " kPa + 3 % = " + text(wanted) + " kPa; the axis ended at " + text(map.y.values.back()) + " kPa";
    d.check = "on the first pull with boost: lambda holds its target beyond the old end of the axis";
}

void revLimit(Draft& d) {
    const double bears = d.fitted(Fact::RevLimit), was = d.originalValue("rev_limit");
    const double limit = d.choose(bears, "rpm");
    d.set("rev_limit", limit);
    // Where the curve of a cold engine holds nothing back, it shall go on doing so; below that it protects cold oil.
    if (d.plays("rev_limit_cold"))
        d.each("rev_limit_cold", [&](double, double, double rpm) { return rpm >= was ? std::max(rpm, limit) : rpm; });
    d.reason = "What valves and pistons bear, not what the maps reach.";
    d.formula = "limit " + text(bears) + " rpm, was " + text(was) + " rpm";
    d.check = "nothing to look for before full load";
}

void speedAxis(Draft& d) {
    if (!d.has(Fact::RevLimit)) return;  // said by the limit itself
    const auto map = d.table("ve_map");
    const double revs = d.value("rev_limit");
    if (map.x.values.empty() || !(map.x.values.back() < revs)) return;
    // From the middle of the axis on: where idle and cruise are, breakpoints stay.
    const double from = map.x.values[map.x.values.size() / 2];
    const double wanted = std::ceil(revs / 100) * 100;
    d.move("ve_map", 0, stretchedAbove(map.x.values, wanted, from));
    d.reason =
        "Beyond the last breakpoint the controller would read the last column at every speed. The upper half of the "
        "axis is stretched to the rev limit, the surfaces are kept and go on by their last slope.";
    d.formula = "rev limit " + text(revs) + " rpm, axis to " + text(wanted) + " rpm; it ended at " +
                text(map.x.values.back()) + " rpm; breakpoints up to " + text(from) + " rpm stay";
    d.check = "lambda and knock beyond the old end of the axis";
}

void displacement(Draft& d) {
    const double fitted = d.fitted(Fact::Displacement);
    d.set("displacement", d.choose(fitted, "cm3"));
    d.reason = "The speed-density estimate is in proportion to the swept volume.";
    d.formula = "displacement " + text(fitted) + " cm3, was " + text(d.originalValue("displacement")) + " cm3";
    d.check = "fuel trims: off by the same share everywhere means displacement or injector flow";
}

void otherMeter(Draft& d) {
    const auto& curve = d.sheet.meterCurve;
    if (curve.empty()) return;
    const auto now = d.table("meter_curve");
    d.each("meter_curve", [&](double reading, double, double) {
        return alongTable(curve, &MeterPoint::reading, &MeterPoint::flow_kgh, reading);
    });
    d.reason =
        "Another meter shows another reading for the same air; its maker's table takes the place of the old one.";
    const double from = curve.front().reading, to = curve.back().reading;
    const std::string unit = now.x.unit.empty() ? std::string() : " " + now.x.unit;
    d.formula = "the maker's table of " + std::to_string(curve.size()) + " points, " + text(from, 1) + " to " +
                text(to, 1) + unit + ", linear between them, its last slope beyond";
    if (!now.x.values.empty() && (now.x.values.back() > to * 1.1 || now.x.values.back() < to * 0.5))
        d.remark("The controller's curve goes to " + text(now.x.values.back(), 1) + unit + ", the table to " +
                 text(to, 1) + unit + ": see that both count the same.");
    d.check = "airflow meter against speed-density while cruising";
}

void meterHousing(Draft& d) {
    if (!d.sheet.meterCurve.empty()) return;  // a curve is told for its own housing
    const double bore = d.fitted(Fact::MeterHousing), was = d.stock(Fact::MeterHousing);
    const double section = bore * bore / (was * was), factor = d.choose(section, "times");
    d.each("meter_curve", [&](double, double, double flow) { return flow * factor; });
    d.reason =
        "The meter feels the speed of the air. In a wider housing the same speed means more air, by the ratio of the "
        "sections.";
    d.formula = "flow x (" + text(bore, 1) + " mm / " + text(was, 1) + " mm)^2 = flow x " + text(section, 3);
    d.check = "airflow meter against speed-density while cruising";
}

void manifoldFilling(Draft& d) {
    const double volume = d.fitted(Fact::ManifoldVolume), was = d.stock(Fact::ManifoldVolume);
    const double factor = d.choose(was / volume, "times");
    d.each("meter_fill", [&](double, double, double share) { return share * factor; });
    d.reason = "What the meter sees fills the manifold first; a larger one hands on less of the news each moment.";
    d.formula = "share x " + text(was, 1) + " l / " + text(volume, 1) + " l = share x " + text(was / volume, 3);
    d.check = "lambda in the first second of a tip-in";
}

// Butterfly: the open area goes with bore squared and 1 - cos of the angle (Heywood, section 7.6.1).
double openness(double opening_pct) {
    return 1 - std::cos(std::clamp(opening_pct, 0.0, 100.0) / 100 * std::numbers::pi / 2);
}
double openingFor(double openness) {
    return std::acos(1 - std::clamp(openness, 0.0, 1.0)) / (std::numbers::pi / 2) * 100;
}

void throttleBore(Draft& d) {
    const double bore = d.fitted(Fact::ThrottleBore), was = d.stock(Fact::ThrottleBore);
    const double factor = was * was / (bore * bore);
    d.each("throttle_for_air", [&](double, double, double opening) { return openingFor(openness(opening) * factor); });
    d.reason =
        "The same air passes a wider throttle at a smaller angle; left as it is, the pedal would be sharp at its "
        "beginning.";
    d.formula =
        "1 - cos(angle) x (" + text(was, 1) + " mm / " + text(bore, 1) + " mm)^2 = 1 - cos(angle) x " + text(factor, 3);
    d.check = "torque asked for against torque delivered at small pedal";
}

struct CamStep {
    double overlap = 0, duration = 0;  ///< more of it than stock, degrees
};

CamStep camStep(Draft& d) {
    return {d.fitted(Fact::CamOverlap) - d.stock(Fact::CamOverlap),
            d.fitted(Fact::CamDuration) - d.stock(Fact::CamDuration)};
}

// Rules of thumb for the first start; the drives put them right. Full backflow up to 1000 rpm, a third of it from
// 3500 on; full where the manifold stands at 40 kPa and none at the weather; the gain of later closing from 3000 to
// 5000 rpm.
constexpr double kBackflow = 0.01;       // filling lost for a degree of overlap
constexpr double kLaterClosing = 0.004;  // filling gained for a degree of duration

double ramp(double x, double from, double to) {
    return std::clamp((x - from) / (to - from), 0.0, 1.0);
}

double camFactor(const CamStep& step, double rpm, double pressure_kPa) {
    return 1 - step.overlap * kBackflow * (1 + 2 * ramp(rpm, 3500, 1000)) / 3 * ramp(pressure_kPa, kWeather_kPa, 40) +
           step.duration * kLaterClosing * ramp(rpm, 3000, 5000);
}

void camFilling(Draft& d) {
    const CamStep step = camStep(d);
    d.each("ve_map",
           [&](double rpm, double kPa, double ve) { return ve * (1 + d.strength * (camFactor(step, rpm, kPa) - 1)); });
    d.reason =
        "More overlap lets exhaust flow back while the manifold is empty and there is time for it; a later closing "
        "valve fills better at higher speed. A rule of thumb for the first start: the drives put it right.";
    d.formula = "filling x (1 - " + text(step.overlap) + "\u00b0 x 1 % x s x e + " + text(step.duration) +
                "\u00b0 x 0.4 % x f); s falls from 1 at 1000 rpm to a third at 3500 rpm, e from 40 to 101 kPa, f rises "
                "from 3000 to 5000 rpm";
    d.check = "fuel error at idle, below 2000 rpm and above 4000 rpm";
}

void idleSpeed(Draft& d) {
    const double overlap = d.fitted(Fact::CamOverlap) - d.stock(Fact::CamOverlap);
    if (d.ready() && overlap <= 0) return;
    constexpr double kRaise_rpm = 6;  // for a degree of overlap
    const double share = d.sheet.wish == Wish::Quiet ? 0.5 : 1;
    const double raise = d.choose(std::round(overlap * kRaise_rpm * share / 10) * 10, "rpm");
    d.each("idle_speed", [&](double, double, double rpm) { return rpm + raise; });
    d.reason =
        "Overlap leaves exhaust in the charge and each stroke burns differently; a little more speed lets the engine "
        "run round.";
    d.formula = text(overlap) + "\u00b0 of overlap x 6 rpm" + (share < 1 ? " x 0.5, since it is to be quiet" : "") +
                " = +" + text(raise) + " rpm";
    d.check = "spread of the idle speed, warm, without loads";
}

void idleAir(Draft& d) {
    const auto was = d.original("idle_speed"), is = d.table("idle_speed");
    if (is.values.empty() || was.values.size() != is.values.size()) return;
    const double speed = is.values.back() / was.values.back();
    const bool bored = d.has(Fact::ThrottleBore) && d.stockIfKnown(Fact::ThrottleBore);
    const double bore = bored ? *d.stockIfKnown(Fact::ThrottleBore) / d.fitted(Fact::ThrottleBore) : 1;
    const bool larger = d.has(Fact::Displacement);
    if (larger) d.value("displacement");  // asked for where nobody plays it
    const double size = larger ? d.fitted(Fact::Displacement) / d.originalValue("displacement") : 1;
    const double computed = speed * size * bore * bore;
    if (std::abs(computed - 1) < 1e-3) return;
    const double factor = d.choose(computed, "times");
    d.each("idle_air", [&](double, double, double opening) { return openingFor(openness(opening) * factor); });
    d.reason = "The air that idle needs goes with speed and swept volume; the plate's angle follows from its bore.";
    d.formula = "open area x " + text(speed, 3) + " (speed) x " + text(size, 3) + " (volume) x " +
                text(bore * bore, 3) + " (bore squared, old over new)";
    d.check = "the idle control's integral part, warm: near zero when the base air is right";
}

void expectedPressure(Draft& d) {
    const auto now = d.table("ve_map"), was = d.original("ve_map");
    const auto map = d.table("expected_pressure");
    const bool bored = d.has(Fact::ThrottleBore) && d.stockIfKnown(Fact::ThrottleBore);
    if (map.values.empty() || now.values.empty() || (now.values == was.values && !bored)) return;
    const double bore = bored ? d.fitted(Fact::ThrottleBore) / *d.stockIfKnown(Fact::ThrottleBore) : 1;
    d.each("expected_pressure", [&](double rpm, double throttle, double) {
        const double same = openingFor(openness(throttle) * bore * bore);
        const double old = calibration::surfaceAt(map, rpm, same);
        const double filling = calibration::surfaceAt(was, rpm, old) / calibration::surfaceAt(now, rpm, old);
        return std::min(kWeather_kPa, old * filling);
    });
    d.reason =
        "Where the cylinders take less of the same air, the manifold stands fuller. The check of pressure against "
        "throttle must expect that, or limp mode comes without cause.";
    d.formula =
        "pressure x old filling / new filling at the same speed" +
        (bored ? ", read at the throttle that opens the same area (bore " + text(bore, 3) + ")" : std::string()) +
        ", at most " + text(kWeather_kPa, 1) + " kPa";
    d.check = "the greatest pressure deviation after a gentle drive, against its limit";
}

constexpr Rule kRules[] = {
    {"pressure_sensor", "Pressure sensor", "Sensor line", pressureSensor, false},
    {"rev_limit", "Engine", "Rev limit", revLimit, false},
    {"speed_axis", "Engine", "Speed axis", speedAxis, false, "rev_limit", "ve_map"},
    {"pressure_axis", "Turbo", "Pressure axis", pressureAxis, false},
    {"displacement", "Engine", "Displacement", displacement, false},
    {"meter_curve", "Airflow meter", "Another meter's curve", otherMeter, false, "", "meter_curve"},
    {"meter_housing", "Airflow meter", "Airflow meter curve", meterHousing, false, "", "meter_curve"},
    {"meter_fill", "Intake", "Manifold filling", manifoldFilling, false, "", "meter_fill"},
    {"throttle_bore", "Intake", "Throttle for air", throttleBore, false, "", "throttle_for_air"},
    {"cam_filling", "Cams", "Volumetric efficiency", camFilling, true, "speed_axis pressure_axis", "ve_map"},
    {"idle_speed", "Cams", "Idle speed", idleSpeed, false, "", "idle_speed"},
    {"idle_air", "Idle", "Idle base air", idleAir, false, "idle_speed throttle_bore", "idle_air"},
    {"expected_pressure", "Diagnostics", "Pressure expected", expectedPressure, false, "cam_filling throttle_bore",
     "expected_pressure"},
};

}  // namespace

std::span<const Rule> intakeRules() {
    return kRules;
}

}  // namespace brusk::proposals
