// What can be broken, by id, with amounts that make sense.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "benchcar/plant/Faults.h"

#include <algorithm>
#include <charconv>
#include <cmath>

namespace brusk::benchcar {

namespace {

constexpr std::string_view kSensors[kSensorCount] = {"pressure", "meter",   "throttle",   "pedal",
                                                     "intake",   "coolant", "narrowband", "narrowband-2",
                                                     "wideband", "knock",   "wheel"};
using Kind = SensorFault::Kind;
struct KindName {
    std::string_view name;
    Kind kind;
    double usual;  ///< the amount when none is given
};
constexpr KindName kSensorKinds[] = {{"dead", Kind::Dead, 0},
                                     {"stuck", Kind::Stuck, 0},
                                     {"slow", Kind::Slow, 3},
                                     {"offset", Kind::Offset, 0.25},
                                     {"scaled", Kind::Scaled, 1.15}};

constexpr FaultKind kKinds[] = {
    {"banks-crossed", "Narrowband plugs swapped", "", 1, 0, 1, &Faults::banksCrossed},
    {"wideband-cold", "Wideband not ready for a while", "s", 60, 1, 3600, &Faults::widebandCold_s},
    {"wideband-aged", "Wideband aged, slower", "s", 0.3, 0.01, 3, &Faults::widebandAged_s},
    {"wideband-leak", "Air leak before the wideband", "g/s", 0.5, 0.01, 10, &Faults::widebandLeak_gs},
    {"wideband-late-pipe", "Wideband in a late pipe,", "rpm", 3800, 1000, 8000, &Faults::widebandLatePipe_rpm},
    {"wideband-before-turbine", "Wideband before the turbine", "1/kPa", 0.002, 0.0001, 0.01,
     &Faults::widebandBeforeTurbine_perkPa},
    {"wideband-behind-catalyst", "Wideband behind the catalyst", "s", 2, 0.1, 30, &Faults::widebandBehindCatalyst_s},
    {"exhaust-leak", "Exhaust leak before both sensors", "g/s", 0.3, 0.01, 10, &Faults::exhaustLeak_gs},
    {"intake-leak", "Air leak behind the throttle", "g/s", 1, 0.01, 20, &Faults::intakeLeak_gs},
    {"duct-leak", "Air leak between meter and throttle", "", 0.08, 0.005, 0.9, &Faults::ductLeak},
    {"boost-leak", "Leak after the compressor", "g/s", 8, 0.1, 100, &Faults::boostLeak_gs},
    {"weak-pump", "Fuel pump weak, what is left", "", 0.15, 0.01, 1, &Faults::weakPump},
    {"regulator-unreferenced", "Fuel regulator without its hose", "", 1, 0, 1, &Faults::regulatorUnreferenced},
    {"injector-dead", "One injector dead", "", 1, 0, 1, &Faults::injectorDead},
    {"injector-lean", "One injector gives less by", "", 0.2, 0.01, 0.95, &Faults::injectorLean},
    {"purge-valve", "Purge valve stuck open to", "", 0.3, 0.01, 1, &Faults::purgeValve},
    {"canister-full", "Canister full of vapour", "g/s", 0.15, 0.01, 2, &Faults::canisterFull_gs},
    {"other-fuel", "Other fuel: share of ethanol", "", 0.4, 0, 1, &Faults::otherFuel},
    {"poor-fuel", "Poorer fuel", "RON", 91, 80, 110, &Faults::poorFuel_RON},
    {"false-knock", "False knock in a band of speed", "V", 0.3, 0.01, 3, &Faults::falseKnock_V},
    {"tip-in-noise", "False knock at tip-in", "V", 0.3, 0.01, 3, &Faults::tipInNoise_V},
    {"clutch-slip", "Clutch slips above", "Nm", 120, 10, 400, &Faults::clutchSlip_Nm},
    {"throttle-ceiling", "Throttle opens to at most", "", 0.5, 0.05, 1, &Faults::throttleCeiling},
    {"wastegate-stuck", "Wastegate stuck open to", "", 0, 0, 1, &Faults::wastegateStuck},
    {"low-battery", "Weak battery,", "V", 11.2, 8, 12.4, &Faults::lowBattery_V},
    {"alternator-dead", "Alternator dead,", "V/min", 0.5, 0.05, 5, &Faults::alternatorDead_Vmin},
    {"heat-soak", "Intake sensor soaked with heat", "K", 15, 1, 60, &Faults::heatSoak_K},
    {"bus-lost", "Frames lost", "", 0.01, 0, 1, &Faults::busLost},
    {"bus-late", "Frames late", "", 0.01, 0, 1, &Faults::busLate},
    {"bus-corrupt", "Frames corrupted", "", 0.001, 0, 1, &Faults::busCorrupt},
};

std::optional<double> number(std::string_view text) {
    double out = 0;
    const auto [end, problem] = std::from_chars(text.data(), text.data() + text.size(), out);
    if (problem != std::errc{} || end != text.data() + text.size()) return std::nullopt;
    return out;
}

std::string shortly(double value) {
    char text[32];
    const auto end = std::to_chars(text, text + sizeof text, value).ptr;
    return {text, end};
}

tl::unexpected<Error> unknown(std::string_view text, std::string_view why) {
    return fail(ErrorCode::BadInput, "The fault \"" + std::string(text) + "\" is not known: " + std::string(why));
}

Done addSensorFault(Faults& faults, std::string_view text, std::string_view sensor, std::string_view rest) {
    const auto equals = rest.find('=');
    const std::string_view kind = rest.substr(0, equals);
    const auto* named = std::find(std::begin(kSensors), std::end(kSensors), sensor);
    if (named == std::end(kSensors)) return unknown(text, "there is no such sensor.");
    const auto* k = std::find_if(std::begin(kSensorKinds), std::end(kSensorKinds),
                                 [&](const KindName& one) { return one.name == kind; });
    if (k == std::end(kSensorKinds)) return unknown(text, "a sensor can be dead, stuck, slow, offset or scaled.");
    const auto amount = equals == std::string_view::npos ? std::optional(k->usual) : number(rest.substr(equals + 1));
    if (!amount) return unknown(text, "the amount after \"=\" must be a number.");
    faults.sensors[static_cast<size_t>(named - std::begin(kSensors))] = {k->kind, *amount};
    return {};
}

}  // namespace

std::string_view sensorName(Sensor sensor) {
    return kSensors[static_cast<size_t>(sensor)];
}

std::span<const FaultKind> faultKinds() {
    return kKinds;
}

Done addFault(Faults& faults, std::string_view text) {
    if (const auto colon = text.find(':'); colon != std::string_view::npos)
        return addSensorFault(faults, text, text.substr(0, colon), text.substr(colon + 1));
    const auto equals = text.find('=');
    const std::string_view name = text.substr(0, equals);
    std::optional<double> amount;
    if (equals != std::string_view::npos) {
        amount = number(text.substr(equals + 1));
        if (!amount) return unknown(text, "the amount after \"=\" must be a number.");
    }
    for (const FaultKind& kind : kKinds) {
        if (kind.id != name) continue;
        const double value = amount.value_or(kind.usual);
        if (!(value >= kind.least && value <= kind.most))
            return unknown(text, "its amount lies between " + shortly(kind.least) + " and " + shortly(kind.most) +
                                     (kind.unit.empty() ? "." : " " + std::string(kind.unit) + "."));
        faults.*kind.member = value;
        return {};
    }
    if (name == "power-cut-frame" || name == "power-cut-byte") {
        if (!amount || *amount < 0) return unknown(text, "it needs a count, as in \"power-cut-frame=1200\".");
        (name == "power-cut-frame" ? faults.powerCutFrame : faults.powerCutByte) =
            static_cast<int64_t>(amount.value_or(0));
        return {};
    }
    return unknown(text, "there is no such fault.");
}

const std::vector<FaultChoice>& faultChoices() {
    static const std::vector<FaultChoice> all = [] {
        std::vector<FaultChoice> out = {{"pressure:dead", "Pressure sensor dead"},
                                        {"pressure:scaled=0.85", "Pressure sensor reads 15 % low"},
                                        {"meter:dead", "Airflow meter dead"},
                                        {"meter:slow=2", "Airflow meter slow"},
                                        {"throttle:offset=0.4", "Throttle sensor 0.4 V off"},
                                        {"pedal:dead", "Pedal sensor dead"},
                                        {"intake:stuck", "Intake temperature stuck"},
                                        {"coolant:dead", "Coolant sensor dead"},
                                        {"narrowband:stuck", "Narrowband stuck"},
                                        {"narrowband:slow=1", "Narrowband slow"},
                                        {"wideband:offset=0.05", "Wideband reads lean by 0.05"},
                                        {"knock:dead", "Knock sensor dead"},
                                        {"wheel:dead", "Wheel sensor dead"}};
        for (const FaultKind& kind : kKinds) {
            // A share is read in per cent.
            const bool isShare = kind.unit.empty();
            std::string title(kind.title);
            if (!isShare || kind.usual != 1)
                title += " " + (isShare ? shortly(std::round(kind.usual * 1e4) / 1e2) + " %"
                                        : shortly(kind.usual) + " " + std::string(kind.unit));
            const bool isSwitch = isShare && kind.usual == 1;
            out.push_back({std::string(kind.id) + (isSwitch ? "" : "=" + shortly(kind.usual)), title});
        }
        out.push_back({"wastegate-stuck=1", "Wastegate stuck open"});
        return out;
    }();
    return all;
}

Done FaultPlan::add(std::string_view text) {
    const auto at = text.find('@');
    Span span{std::string(text.substr(0, at))};
    Faults tried;
    if (auto done = addFault(tried, span.fault); !done) return done;
    if (at != std::string_view::npos) {
        const std::string_view times = text.substr(at + 1);
        const auto dash = times.find('-');
        const auto from = number(times.substr(0, dash));
        const bool ends = dash != std::string_view::npos && dash + 1 < times.size();
        const auto to = ends ? number(times.substr(dash + 1)) : std::optional(span.to_s);
        if (!from || !to || *from < 0 || *to <= *from)
            return unknown(text, "after \"@\" come the seconds from and to, as in \"intake-leak=1@60-90\".");
        span.from_s = *from;
        span.to_s = *to;
    }
    spans_.push_back(std::move(span));
    return {};
}

Faults FaultPlan::at(double time_s) const {
    Faults out;
    for (const Span& span : spans_)
        if (time_s >= span.from_s && time_s < span.to_s) (void)addFault(out, span.fault);  // add() has tried it
    return out;
}

bool FaultPlan::changes(double before_s, double now_s) const {
    return std::any_of(spans_.begin(), spans_.end(), [&](const Span& span) {
        return (span.from_s > before_s && span.from_s <= now_s) || (span.to_s > before_s && span.to_s <= now_s);
    });
}

}  // namespace brusk::benchcar
