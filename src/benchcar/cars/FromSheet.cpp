// Facts of a build sheet become parts of the plant; what it can't have is refused.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "benchcar/cars/FromSheet.h"

#include <nlohmann/json.hpp>

#include <algorithm>
#include <cmath>
#include <functional>
#include <numbers>

namespace brusk::benchcar {

namespace {

using Take = std::function<void(Build&, double)>;

/// Facts that are one number of the plant.
const std::map<std::string, Take, std::less<>>& plain() {
    static const std::map<std::string, Take, std::less<>> all = {
        {"displacement", [](Build& b, double cm3) { b.engine.displacement_m3 = cm3 * 1e-6; }},
        {"manifold_volume", [](Build& b, double litres) { b.engine.manifold_m3 = litres * 1e-3; }},
        {"octane", [](Build& b, double ron) { b.fuel.octane_RON = ron; }},
        {"ethanol", [](Build& b, double percent) { b.fuel.ethanol = percent / 100; }},
        {"meter_housing", [](Build& b, double mm) { b.parts.airflowHousing_mm = mm; }},
        {"throttle_bore", [](Build& b, double mm) { b.engine.throttleBore_m = mm / 1000; }},
        {"cam_overlap", [](Build& b, double deg) { b.parts.cams.overlap_deg = deg; }},
        {"cam_duration", [](Build& b, double deg) { b.parts.cams.duration_deg = deg; }},
        {"thermostat", [](Build& b, double celsius) { b.parts.thermostat_C = celsius; }},
        {"tyre_circumference", [](Build& b, double mm) { b.parts.tyreRadius_m = mm / 2000 / std::numbers::pi; }},
        {"final_drive", [](Build& b, double ratio) { b.chassis.final = ratio; }},
        {"vehicle_mass", [](Build& b, double kg) { b.chassis.mass_kg = kg; }},
        {"drag_area", [](Build& b, double m2) { b.chassis.dragArea_m2 = m2; }},
    };
    return all;
}

/// Facts of a turbocharger and what follows it.
const std::map<std::string, Take, std::less<>>& ofTurbo() {
    static const std::map<std::string, Take, std::less<>> all = {
        {"turbo_spring", [](Build& b, double kPa) { b.parts.turbo.spring_kPa = kPa; }},
        {"intercooler", [](Build& b, double percent) { b.parts.intercooler = percent / 100; }},
        {"compressor_wheel",
         [](Build& b, double mm) {
             // The turbine is matched to the wheel it drives: its area with the flow, the inertia with mass and radius.
             Turbocharger& t = b.parts.turbo;
             const double larger = mm / 2000 / t.compressorRadius_m;
             t.compressorRadius_m *= larger;
             t.turbineArea_m2 *= std::pow(larger, 2.5);
             t.inertia_kgm2 *= std::pow(larger, 5);
         }},
    };
    return all;
}

// Taken together below, or no part at all: what an owner wants.
constexpr std::string_view kTogether[] = {"fuel_pressure",        "injector_flow",       "injector_pressure",
                                          "sensor_low_volts",     "sensor_low_pressure", "sensor_high_volts",
                                          "sensor_high_pressure", "sensor_slope",        "sensor_offset",
                                          "exhaust_bore",         "boost_ceiling",       "fan_on"};

std::optional<double> in(const std::map<std::string, double>& facts, const char* key) {
    const auto at = facts.find(key);
    return at == facts.end() ? std::nullopt : std::optional(at->second);
}

/// Flow goes with the root of the pressure.
void fitInjectors(Build& b, const SheetNumbers& sheet) {
    constexpr double kUsual_kPa = 300;
    Injectors& injectors = b.parts.injectors;
    const double before_kPa = b.parts.fuelPressure_kPa;
    const double pressure_kPa = in(sheet.fitted, "fuel_pressure").value_or(before_kPa);
    b.parts.fuelPressure_kPa = pressure_kPa;
    if (const auto rated = in(sheet.fitted, "injector_flow"))
        injectors.flow_cm3min =
            *rated * std::sqrt(pressure_kPa / in(sheet.fitted, "injector_pressure").value_or(kUsual_kPa));
    else
        injectors.flow_cm3min *= std::sqrt(pressure_kPa / before_kPa);
    if (sheet.deadTimes.empty()) return;
    // The straight line nearest to the table.
    double v = 0, t = 0, vv = 0, vt = 0;
    const auto n = static_cast<double>(sheet.deadTimes.size());
    for (const auto& [volts, time_us] : sheet.deadTimes)
        v += volts / n, t += time_us / n, vv += volts * volts / n, vt += volts * time_us / n;
    const double slope = vv - v * v > 1e-9 ? (vt - v * t) / (vv - v * v) : -injectors.deadSlope_us;
    injectors.deadSlope_us = -slope;
    injectors.deadAt14_us = t + slope * (14 - v);
}

void fitSensor(Build& b, const SheetNumbers& sheet) {
    const auto v0 = in(sheet.fitted, "sensor_low_volts"), p0 = in(sheet.fitted, "sensor_low_pressure");
    const auto v1 = in(sheet.fitted, "sensor_high_volts"), p1 = in(sheet.fitted, "sensor_high_pressure");
    const auto slope = in(sheet.fitted, "sensor_slope"), offset = in(sheet.fitted, "sensor_offset");
    PressureSensor& sensor = b.parts.pressure;
    if (v0 && p0 && v1 && p1 && *v1 > *v0) {
        sensor.slope_kPaV = (*p1 - *p0) / (*v1 - *v0);
        sensor.offset_kPa = *p0 - sensor.slope_kPaV * *v0;
    } else if (slope && offset) {
        sensor = {*slope, *offset};
    }
}

/// What the plant has no number for, by the names of the sheet.
std::string unknownParts(const Build& stock, const SheetNumbers& sheet) {
    std::string out;
    const auto add = [&](const std::string& name) { out += (out.empty() ? "" : ", ") + name; };
    for (const auto& [key, value] : sheet.fitted) {
        const bool together = std::find(std::begin(kTogether), std::end(kTogether), key) != std::end(kTogether);
        const bool turbo = ofTurbo().contains(key);
        if (plain().contains(key) || together || (turbo && stock.engine.turbo)) continue;
        add(key);
    }
    if (in(sheet.fitted, "exhaust_bore") && !in(sheet.stock, "exhaust_bore")) add("exhaust_bore without the stock one");
    if (sheet.hasMeterCurve) add("meter_curve");
    if (sheet.gears.size() >= stock.chassis.gears.size()) add("more than six gears");
    return out;
}

}  // namespace

Result<SheetNumbers> sheetNumbers(std::string_view text) {
    using nlohmann::json;
    const json in = json::parse(text, nullptr, false);
    if (!in.is_object()) return fail(ErrorCode::BadInput, "The build sheet is no JSON object.");
    SheetNumbers out;
    const auto facts = [&](const char* member, std::map<std::string, double>& into) {
        const auto found = in.find(member);
        if (found == in.end() || !found->is_object()) return;
        for (const auto& [key, value] : found->items())
            if (value.is_number()) into[key] = value.get<double>();
    };
    facts("stock", out.stock);
    facts("fitted", out.fitted);
    const auto list = [&](const char* member) { return in.contains(member) ? in[member] : json::array(); };
    const auto number = [](const json& of, const char* member) {
        return of.is_object() && of.contains(member) && of[member].is_number() ? of[member].get<double>() : 0.0;
    };
    for (const json& point : list("dead_times"))
        out.deadTimes.emplace_back(number(point, "volts"), number(point, "us"));
    for (const json& ratio : list("gears"))
        if (ratio.is_number()) out.gears.push_back(ratio.get<double>());
    out.hasMeterCurve = !list("meter_curve").empty();
    const auto word = [&](const char* member) {
        return in.contains(member) && in[member].is_string() ? in[member].get<std::string>() : std::string();
    };
    out.regulator = word("regulator");
    out.wideband = word("wideband");
    return out;
}

Result<Build> fromSheet(Build stock, const SheetNumbers& sheet) {
    if (const std::string unknown = unknownParts(stock, sheet); !unknown.empty())
        return fail(ErrorCode::BadInput, "The bench car can't be given these parts: " + unknown + ".");
    Build out = stock;
    for (const auto& [key, value] : sheet.fitted)
        for (const auto* takes : {&plain(), &ofTurbo()})
            if (const auto at = takes->find(key); at != takes->end()) at->second(out, value);
    fitInjectors(out, sheet);
    fitSensor(out, sheet);
    if (const auto bore = in(sheet.fitted, "exhaust_bore"))
        out.parts.exhaustBore = *bore / in(sheet.stock, "exhaust_bore").value_or(*bore);
    for (size_t i = 0; i < sheet.gears.size(); ++i)
        out.chassis.gears[i + 1] = sheet.gears[i];
    if (!sheet.regulator.empty()) out.parts.regulatorReferenced = sheet.regulator != "to the weather";
    if (sheet.wideband == "before the turbine") out.parts.wideband = WidebandPlace::BeforeTurbine;
    if (sheet.wideband == "behind the catalyst") out.parts.wideband = WidebandPlace::BehindCatalyst;
    return out;
}

}  // namespace brusk::benchcar
