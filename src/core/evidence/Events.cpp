// The registry of events, and one walk over it.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/Events.h"

#include <algorithm>
#include <cmath>

#include "core/base/Text.h"
#include "core/evidence/events/Finders.h"

namespace brusk::evidence {
namespace {

constexpr EventKind kKinds[] = {
    {roles::kStart, {"engine_speed"}, events::starts},
    {roles::kIdle, {"engine_speed"}, events::idles},
    {roles::kIdleLoad, {"engine_speed", "fan"}, events::idleLoads},
    {roles::kCruise, {"vehicle_speed", "pedal"}, events::cruises},
    {roles::kPull, {"engine_speed", "pedal"}, events::pulls},
    {roles::kTipIn, {"pedal"}, events::tipIns},
    {roles::kTipOut, {"pedal"}, events::tipOuts},
    {roles::kOverrun, {"fuel_cut", "engine_speed"}, events::overruns},
    {roles::kGear, {"engine_speed", "vehicle_speed"}, events::gears},
    {roles::kClutch, {"engine_speed", "vehicle_speed"}, events::clutches},
    {roles::kLimit, {"engine_speed"}, events::limits},
    {roles::kLimp, {"limp_mode"}, events::limps},
    {roles::kThrottleCloses, {"pedal", "throttle"}, events::throttleCloses},
    {roles::kKnock, {"knock_retard"}, events::knocks},
    {roles::kCode, {}, events::codes},
    {roles::kGap, {}, events::gaps},
    {roles::kMark, {}, events::marks},
    {roles::kGuard, {}, events::guards},
    {roles::kRefuel, {}, events::refuels},
    {roles::kKeyOff, {"engine_speed"}, events::keyOffs},
    {roles::kAdaptationReset, {"long_trim"}, events::adaptationResets},
};

constexpr EventFigureName kFigureNames[] = {
    {"start_s", "ran after", "s", 2},
    {"flare_rpm", "flare", "rpm"},
    {"coolant_C", "coolant", "\u00b0C"},
    {"soak_s", "had stood for", "s", 2},
    {"mean_rpm", "speed", "rpm"},
    {"spread_rpm", "spread", "rpm"},
    {"off_rpm", "off its target by", "rpm"},
    {"swing_rpm", "swings by", "rpm"},
    {"swings_hz", "swings", "Hz", 1},
    {"air_pct", "air", "%", 1},
    {"integral_pct", "integral part", "%", 1},
    {"learned_pct", "learned", "%", 1},
    {"spark_deg", "spark", "\u00b0", 1},
    {"dip_rpm", "falls by", "rpm"},
    {"recovery_s", "back after", "s", 2},
    {"vehicle_kmh", "road speed", "km/h"},
    {"engine_rpm", "engine speed", "rpm"},
    {"pressure_kpa", "pressure", "kPa", 1},
    {"short_trim_pct", "short trim", "%", 1},
    {"long_trim_pct", "long trim", "%", 1},
    {"lambda", "lambda", "lambda", 2},
    {"gear", "gear", ""},
    {"from_rpm", "from", "rpm"},
    {"to_rpm", "to", "rpm"},
    {"pressure_peak_kpa", "greatest pressure", "kPa", 1},
    {"rise_s", "nine tenths of the boost after", "s", 2},
    {"overshoot_kpa", "beyond its target by", "kPa", 1},
    {"boost_off_kpa", "then off by", "kPa", 1},
    {"lambda_asked", "lambda asked", "lambda", 2},
    {"lambda_measured", "lambda", "lambda", 2},
    {"lambda_leanest", "leanest", "lambda", 2},
    {"enriched_s", "enriched after", "s", 2},
    {"knock_retard_deg", "knock retard", "\u00b0", 1},
    {"charge_rise_K", "charge warmer by", "K", 1},
    {"duty_pct", "injector duty", "%", 1},
    {"fuel_pressure_falls_kpa", "fuel pressure falls by", "kPa", 1},
    {"step_pct", "foot moves by", "%", 1},
    {"lean_area_lambda_s", "lean area", "lambda s", 3},
    {"rich_area_lambda_s", "rich area", "lambda s", 3},
    {"response_s", "half of the pressure after", "s", 2},
    {"length_s", "length", "s", 2},
    {"lambda_most", "leanest", "lambda", 2},
    {"took_s", "took", "s", 2},
    {"drop_rpm", "speed falls by", "rpm"},
    {"ratio", "ratio", "", 2},
    {"throttle_pct", "throttle", "%", 1},
    {"retard_deg", "retard", "\u00b0", 1},
    {"heard", "heard", ""},
    {"lambda_off_pct", "wideband off by", "%", 1},
    {"lean_pct", "leaner than asked by", "%", 1},
    {"swing_V", "swings by", "V", 2},
    {"leak_gs", "leak", "g/s", 1},
    {"meter_off_pct", "meter off by", "%", 1},
    {"air_off_pct", "air off by", "%", 1},
    {"fuel_off_pct", "fuel off by", "%", 1},
    {"speed_off_pct", "road speed off by", "%", 1},
    {"throttle_off_pct", "throttle off by", "%", 1},
    {"pedal_pct", "pedal", "%", 1},
};

/// "1,990"; nobody reads engine speed closer than to ten.
std::string rpmText(double rpm) {
    constexpr double kStep = 10, kThousand = 1000;
    const auto whole = static_cast<long>(std::lround(rpm / kStep) * static_cast<long>(kStep));
    if (whole < static_cast<long>(kThousand)) return std::to_string(whole);
    std::string rest = std::to_string(whole % static_cast<long>(kThousand));
    rest.insert(0, 3 - rest.size(), '0');
    return std::to_string(whole / static_cast<long>(kThousand)) + "," + rest;
}

/// "3rd".
std::string gearText(double gear) {
    const auto n = static_cast<int>(std::lround(gear));
    return std::to_string(n) + (n == 1 ? "st" : n == 2 ? "nd" : n == 3 ? "rd" : "th");
}

const roles::EventName& nameOf(roles::Event kind) {
    return *std::find_if(std::begin(roles::kEvents), std::end(roles::kEvents),
                         [&](const roles::EventName& one) { return one.event == kind; });
}

}  // namespace

double FoundEvent::figure(std::string_view id) const {
    for (const EventFigure& one : figures)
        if (one.id == id) return one.value;
    return std::nan("");
}

void FoundEvent::add(std::string_view id, double value) {
    if (!std::isnan(value)) figures.push_back({id, value});
}

std::span<const EventFigureName> eventFigureNames() {
    return kFigureNames;
}

std::string eventLine(const FoundEvent& event) {
    const auto figure = [&](std::string_view id) { return event.figure(id); };
    const auto rpm = [&](std::string_view id) { return rpmText(figure(id)) + " rpm"; };
    switch (event.kind) {
        case roles::kStart:
            return event.what.empty() ? "ran after " + formatNumber(figure("start_s"), 2) + " s" : event.what;
        case roles::kIdle:
            return rpm("mean_rpm") + ", swings by " + formatNumber(figure("swing_rpm"), 0);
        case roles::kIdleLoad:
            return event.what + ", falls by " + formatNumber(figure("dip_rpm"), 0) + " rpm";
        case roles::kCruise:
            return std::isnan(figure("engine_rpm")) ? "" : rpm("engine_rpm");
        case roles::kPull:
            return (figure("gear") > 0 ? gearText(figure("gear")) + ", " : "") + rpmText(figure("from_rpm")) + " to " +
                   rpmText(figure("to_rpm"));
        case roles::kTipIn:
        case roles::kTipOut:
            return formatNumber(figure("step_pct"), 0) + " %" +
                   (std::isnan(figure("engine_rpm")) ? "" : " at " + rpm("engine_rpm"));
        case roles::kOverrun:
            return rpmText(figure("from_rpm")) + " to " + rpmText(figure("to_rpm"));
        case roles::kKnock:
            return formatNumber(figure("retard_deg"), 1) + "\u00b0" +
                   (std::isnan(figure("engine_rpm")) ? "" : " at " + rpm("engine_rpm"));
        case roles::kThrottleCloses:
            return "to " + formatNumber(figure("throttle_pct"), 0) + " %";
        default:
            return event.what;
    }
}

std::string_view EventKind::id() const {
    return nameOf(kind).id;
}

std::string_view EventKind::title() const {
    return nameOf(kind).title;
}

std::span<const EventKind> eventKinds() {
    return kKinds;
}

std::vector<const FoundEvent*> DriveEvents::of(roles::Event kind) const {
    std::vector<const FoundEvent*> out;
    for (const FoundEvent& one : found)
        if (one.kind == kind) out.push_back(&one);
    return out;
}

DriveEvents eventsOf(const Sampled& drive) {
    DriveEvents out;
    for (const EventKind& kind : kKinds) {
        std::vector<roles::Role> lacks;
        for (const roles::Role role : kind.needs)
            if (drive.columnIfAny(role).empty()) lacks.push_back(role);
        if (lacks.empty())
            kind.find(drive, out.found);
        else
            out.notLooked.push_back({kind.kind, std::move(lacks)});
    }
    std::stable_sort(out.found.begin(), out.found.end(),
                     [](const FoundEvent& a, const FoundEvent& b) { return a.from_s < b.from_s; });
    return out;
}

}  // namespace brusk::evidence
