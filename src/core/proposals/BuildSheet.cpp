// Facts with their units and bounds, and what is refused of them.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/proposals/BuildSheet.h"

#include <algorithm>
#include <cmath>

#include "core/base/Text.h"
#include "core/calibration/RoleUnits.h"

namespace brusk::proposals {

namespace {

constexpr std::array<FactKind, kFacts> kKinds = {{
    {Fact::Displacement, "displacement", "Engine", "Displacement", "cm3", 0, 200, 8000, true,
     "Engines sweep 200 to 8000 cm\u00b3."},
    {Fact::ManifoldVolume, "manifold_volume", "Engine", "Intake manifold", "l", 1, 0.3, 30, true,
     "Intake manifolds hold 0.3 to 30 litres."},
    {Fact::RevLimit, "rev_limit", "Engine", "Highest revs", "rpm", 0, 2000, 12000, false,
     "An engine's limit lies between 2000 and 12000 rpm."},
    {Fact::Octane, "octane", "Fuel", "Octane", "RON", 0, 80, 120, true, "Petrol has 80 to 120 RON."},
    {Fact::Ethanol, "ethanol", "Fuel", "Ethanol by volume", "%", 0, 0, 100, false,
     "Ethanol is a share of the fuel: 0 to 100 %."},
    {Fact::FuelPressure, "fuel_pressure", "Fuel", "Fuel pressure", "kPa", 0, 100, 1000, true,
     "The pressure at port injectors is 100 to 1000 kPa over the manifold."},
    {Fact::InjectorFlow, "injector_flow", "Injectors", "Rated flow", "cm3/min", 0, 50, 3000, false,
     "An injector flows 50 to 3000 cm\u00b3/min."},
    {Fact::InjectorPressure, "injector_pressure", "Injectors", "Rated pressure", "kPa", 0, 100, 1000, false,
     "Flow is rated at 100 to 1000 kPa."},
    {Fact::MeterHousing, "meter_housing", "Airflow meter", "Housing bore", "mm", 1, 30, 150, true,
     "Housings are 30 to 150 mm wide."},
    {Fact::SensorLowVolts, "sensor_low_volts", "Pressure sensor", "Low point, voltage", "V", 2, 0, 5, false,
     "The sensor's output lies between 0 and 5 V."},
    {Fact::SensorLowPressure, "sensor_low_pressure", "Pressure sensor", "Low point, pressure", "kPa", 0, 0, 200, false,
     "The low point lies between 0 and 200 kPa absolute."},
    {Fact::SensorHighVolts, "sensor_high_volts", "Pressure sensor", "High point, voltage", "V", 2, 0.5, 5, false,
     "The sensor's output lies between 0.5 and 5 V at its high point."},
    {Fact::SensorHighPressure, "sensor_high_pressure", "Pressure sensor", "High point, pressure", "kPa", 0, 90, 1000,
     false, "The high point lies between 90 and 1000 kPa absolute."},
    {Fact::SensorSlope, "sensor_slope", "Pressure sensor", "Or slope", "kPa/V", 2, 5, 500, false,
     "A sensor's slope lies between 5 and 500 kPa a volt."},
    {Fact::SensorOffset, "sensor_offset", "Pressure sensor", "and pressure at 0 V", "kPa", 2, -150, 150, false,
     "At 0 V a sensor's line lies between -150 and 150 kPa."},
    {Fact::ThrottleBore, "throttle_bore", "Intake", "Throttle bore", "mm", 1, 20, 150, true,
     "Throttles are 20 to 150 mm wide."},
    {Fact::CamOverlap, "cam_overlap", "Cams", "Overlap at 1 mm", "\u00b0", 0, -40, 120, true,
     "Overlap lies between -40 and 120 degrees of the crank."},
    {Fact::CamDuration, "cam_duration", "Cams", "Intake open at 1 mm", "\u00b0", 0, 150, 340, true,
     "Intake valves stay open for 150 to 340 degrees of the crank."},
    {Fact::TurboSpring, "turbo_spring", "Turbo", "Wastegate spring", "kPa", 0, 5, 250, true,
     "A wastegate opens by itself at 5 to 250 kPa of boost."},
    {Fact::BoostCeiling, "boost_ceiling", "Turbo", "Boost wanted", "kPa", 0, 5, 350, false,
     "Boost is told over the weather: 5 to 350 kPa.", true},
    {Fact::CompressorWheel, "compressor_wheel", "Turbo", "Compressor wheel", "mm", 1, 25, 120, true,
     "Compressor wheels are 25 to 120 mm wide."},
    {Fact::Intercooler, "intercooler", "Turbo", "Intercooler effect", "%", 0, 0, 95, true,
     "An intercooler reaches 0 to 95 % of the possible cooling."},
    {Fact::ExhaustBore, "exhaust_bore", "Exhaust", "Pipe bore", "mm", 0, 25, 130, true,
     "Exhaust pipes are 25 to 130 mm wide."},
    {Fact::Thermostat, "thermostat", "Cooling", "Thermostat", "\u00b0C", 0, 60, 110, true,
     "Thermostats open between 60 and 110 \u00b0C."},
    {Fact::FanOn, "fan_on", "Cooling", "Fan wanted on at", "\u00b0C", 0, 60, 125, false,
     "Fans start between 60 and 125 \u00b0C.", true},
    {Fact::TyreCircumference, "tyre_circumference", "Driveline", "Tyre circumference", "mm", 0, 1000, 3500, true,
     "A driven wheel rolls 1000 to 3500 mm a turn."},
    {Fact::FinalDrive, "final_drive", "Driveline", "Final drive", "", 2, 1.5, 8, true,
     "Final drives lie between 1.5 and 8 to one."},
    {Fact::VehicleMass, "vehicle_mass", "Car", "Mass as driven", "kg", 0, 300, 4000, false,
     "A car with driver and fuel weighs 300 to 4000 kg."},
    {Fact::DragArea, "drag_area", "Car", "Drag area", "m2", 2, 0.2, 2.5, false,
     "Drag coefficient times frontal area lies between 0.2 and 2.5 m\u00b2."},
}};

constexpr double kFull_V = 4.5;    // where ratiometric sensors end
constexpr double kSame_kPa = 1.5;  // what the rounding of a data sheet may differ by

void refuseSensor(const BuildSheet& sheet, const calibration::Calibration* calibration, std::vector<Refusal>& out) {
    const auto low = sheet.of(Fact::SensorLowVolts), high = sheet.of(Fact::SensorHighVolts);
    if (low && high && *high <= *low)
        out.push_back({Fact::SensorHighVolts, true, "The high point must lie at a higher voltage than the low one."});
    const auto below = sheet.of(Fact::SensorLowPressure), above = sheet.of(Fact::SensorHighPressure);
    if (below && above && *above <= *below)
        out.push_back({Fact::SensorHighPressure, true, "The high point must be a higher pressure than the low one."});
    const auto byPoints = lineByPoints(sheet);
    const auto slope = sheet.of(Fact::SensorSlope), offset = sheet.of(Fact::SensorOffset);
    if (byPoints && slope && offset && std::abs(byPoints->at(kFull_V) - (*offset + *slope * kFull_V)) > kSame_kPa)
        out.push_back({Fact::SensorSlope, true,
                       "Slope and offset say " + formatNumber(*offset + *slope * kFull_V, 0) +
                           " kPa at 4.5 V, the two points " + formatNumber(byPoints->at(kFull_V), 0) +
                           " kPa; empty one of the two."});
    const auto line = sensorLine(sheet);
    const double top = above.value_or(line ? line->at(kFull_V) : 0);
    const auto* map = calibration ? calibration->definition().parameterWithRole("ve_map") : nullptr;
    const auto table = map ? calibration::readRole(*calibration, "ve_map") : fail(ErrorCode::NotFound, "");
    if (!table || table->y.values.empty() || map->axes.size() < 2) return;
    const auto units = calibration::roleUnits(*calibration, *map).value_or(calibration::RoleUnits{});
    const auto& pressure = map->axes[units.ownAxis(1)];
    const auto* breakpoints = calibration->definition().parameter(pressure.shared);
    const double most = units.y(breakpoints ? breakpoints->upper : pressure.upper);
    if (most > 0 && top > most)
        out.push_back({above ? Fact::SensorHighPressure : Fact::SensorSlope, true,
                       "The controller's pressure axis ends at " + formatNumber(table->y.values.back(), 0) +
                           " kPa and can be stretched to " + formatNumber(most, 0) + " kPa at most; a sensor up to " +
                           formatNumber(top, 0) + " kPa is beyond what it can use."});
}

void refuseMeterCurve(const std::vector<MeterPoint>& curve, std::vector<Refusal>& out) {
    constexpr size_t kFewest = 4;
    constexpr double kMost_kgh = 4000;
    const auto refuse = [&](const char* why) { out.push_back({std::nullopt, true, why, SheetTable::MeterCurve}); };
    if (curve.empty()) return;
    if (curve.size() < kFewest) return refuse("A meter's curve takes four points or more.");
    for (size_t i = 0; i < curve.size(); ++i) {
        if (!(curve[i].reading >= 0) || !(curve[i].flow_kgh >= 0 && curve[i].flow_kgh <= kMost_kgh))
            return refuse("A meter shows 0 to 4000 kg/h at a reading that is not negative.");
        if (i > 0 && !(curve[i].reading > curve[i - 1].reading && curve[i].flow_kgh > curve[i - 1].flow_kgh))
            return refuse("A meter's curve rises in reading and in flow.");
    }
}

void refuseGears(const std::vector<double>& gears, std::vector<Refusal>& out) {
    constexpr size_t kMost = 10;
    const auto refuse = [&](const char* why) { out.push_back({std::nullopt, true, why, SheetTable::Gears}); };
    if (gears.size() > kMost) return refuse("A gearbox has ten gears at most.");
    for (size_t i = 0; i < gears.size(); ++i) {
        if (!(gears[i] >= 0.3 && gears[i] <= 8)) return refuse("A gear's ratio lies between 0.3 and 8 to one.");
        if (i > 0 && gears[i] >= gears[i - 1]) return refuse("Ratios fall from gear to gear, beginning with first.");
    }
}

}  // namespace

std::span<const FactKind> factKinds() {
    return kKinds;
}

const FactKind& kindOf(Fact fact) {
    return kKinds[static_cast<size_t>(fact)];
}

const FactKind* kindNamed(std::string_view key) {
    const auto at = std::find_if(kKinds.begin(), kKinds.end(), [&](const FactKind& kind) { return kind.key == key; });
    return at == kKinds.end() ? nullptr : &*at;
}

std::optional<SensorLine> lineByPoints(const BuildSheet& sheet) {
    const auto v0 = sheet.of(Fact::SensorLowVolts), p0 = sheet.of(Fact::SensorLowPressure);
    const auto v1 = sheet.of(Fact::SensorHighVolts), p1 = sheet.of(Fact::SensorHighPressure);
    if (!v0 || !p0 || !v1 || !p1 || *v1 <= *v0) return std::nullopt;
    const double slope = (*p1 - *p0) / (*v1 - *v0);
    return SensorLine{slope, *p0 - slope * *v0};
}

std::optional<SensorLine> sensorLine(const BuildSheet& sheet) {
    if (const auto line = lineByPoints(sheet)) return line;
    const auto slope = sheet.of(Fact::SensorSlope), offset = sheet.of(Fact::SensorOffset);
    if (!slope || !offset) return std::nullopt;
    return SensorLine{*slope, *offset};
}

bool BuildSheet::operator==(const BuildSheet& o) const {
    return stock == o.stock && fitted == o.fitted && deadTimes == o.deadTimes && meterCurve == o.meterCurve &&
           gears == o.gears && loadModel == o.loadModel && wish == o.wish && regulator == o.regulator &&
           wideband == o.wideband && notes == o.notes;
}

std::vector<Refusal> refusals(const BuildSheet& sheet, const calibration::Calibration* calibration) {
    std::vector<Refusal> out;
    for (const FactKind& kind : kKinds)
        for (const bool isFitted : {false, true})
            if (const auto value = sheet.of(kind.fact, isFitted);
                value && !(*value >= kind.least && *value <= kind.most))
                out.push_back({kind.fact, isFitted, std::string(kind.refusal)});
    for (size_t i = 0; i < sheet.deadTimes.size(); ++i) {
        const auto& point = sheet.deadTimes[i];
        if (!(point.volts >= 5 && point.volts <= 18) || !(point.time_us >= 0 && point.time_us <= 6000))
            out.push_back({std::nullopt, true, "Dead times are 0 to 6000 \u00b5s at 5 to 18 V."});
        else if (i > 0 && point.volts <= sheet.deadTimes[i - 1].volts)
            out.push_back({std::nullopt, true, "The dead-time table must rise in voltage."});
        else if (i > 0 && point.time_us > sheet.deadTimes[i - 1].time_us)
            out.push_back({std::nullopt, true, "An injector opens sooner at a higher voltage; its dead time falls."});
    }
    refuseMeterCurve(sheet.meterCurve, out);
    refuseGears(sheet.gears, out);
    refuseSensor(sheet, calibration, out);
    return out;
}

}  // namespace brusk::proposals
