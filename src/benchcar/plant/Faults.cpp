// SPDX-License-Identifier: GPL-3.0-or-later
#include "benchcar/plant/Faults.h"

#include <charconv>

namespace brusk::benchcar {

namespace {

constexpr std::string_view kSensors[kSensorCount] = {"pressure", "airflow", "throttle",   "pedal",
                                                     "intake",   "coolant", "narrowband", "narrowband-2",
                                                     "wideband", "knock",   "wheel"};
using Kind = SensorFault::Kind;
struct KindName {
    std::string_view name;
    Kind kind;
    double usual;  ///< the amount when none is given
};
constexpr KindName kKinds[] = {{"dead", Kind::Dead, 0},
                               {"stuck", Kind::Stuck, 0},
                               {"slow", Kind::Slow, 3},
                               {"offset", Kind::Offset, 0.25},
                               {"scaled", Kind::Scaled, 1.15}};

std::optional<double> number(std::string_view text) {
    double out = 0;
    const auto [end, problem] = std::from_chars(text.data(), text.data() + text.size(), out);
    if (problem != std::errc{} || end != text.data() + text.size()) return std::nullopt;
    return out;
}

tl::unexpected<Error> unknown(std::string_view text, std::string_view why) {
    return fail(ErrorCode::BadInput, "The fault \"" + std::string(text) + "\" is not known: " + std::string(why));
}

Done addSensorFault(Faults& faults, std::string_view text, std::string_view sensor, std::string_view rest) {
    const auto equals = rest.find('=');
    const std::string_view kind = rest.substr(0, equals);
    for (size_t i = 0; i < kSensorCount; ++i) {
        if (kSensors[i] != sensor) continue;
        for (const KindName& k : kKinds) {
            if (k.name != kind) continue;
            const auto amount =
                equals == std::string_view::npos ? std::optional(k.usual) : number(rest.substr(equals + 1));
            if (!amount) return unknown(text, "the amount after \"=\" must be a number.");
            faults.sensors[i] = {k.kind, *amount};
            return {};
        }
        return unknown(text, "a sensor can be dead, stuck, slow, offset or scaled.");
    }
    return unknown(text, "there is no such sensor.");
}

}  // namespace

std::string_view sensorName(Sensor sensor) {
    return kSensors[static_cast<size_t>(sensor)];
}

bool Faults::any() const {
    for (const SensorFault& f : sensors)
        if (f.kind != Kind::None) return true;
    return banksCrossed || widebandLeak || widebandLatePipe || lowBattery || weakPump || wastegateStuck >= 0 ||
           busLost > 0 || busLate > 0 || busCorrupt > 0 || powerCutFrame >= 0 || powerCutByte >= 0;
}

Done addFault(Faults& faults, std::string_view text) {
    if (const auto colon = text.find(':'); colon != std::string_view::npos)
        return addSensorFault(faults, text, text.substr(0, colon), text.substr(colon + 1));
    const auto equals = text.find('=');
    const std::string_view name = text.substr(0, equals);
    std::optional<double> amount;
    if (equals != std::string_view::npos) amount = number(text.substr(equals + 1));
    if (equals != std::string_view::npos && !amount) return unknown(text, "the amount after \"=\" must be a number.");
    struct Switch {
        std::string_view name;
        bool Faults::*member;
    };
    for (const Switch& s : {Switch{"banks-crossed", &Faults::banksCrossed},
                            {"wideband-leak", &Faults::widebandLeak},
                            {"wideband-late-pipe", &Faults::widebandLatePipe},
                            {"low-battery", &Faults::lowBattery},
                            {"weak-pump", &Faults::weakPump}})
        if (s.name == name) {
            faults.*s.member = true;
            return {};
        }
    struct Share {
        std::string_view name;
        double Faults::*member;
        double usual;
    };
    for (const Share& s : {Share{"wastegate-stuck", &Faults::wastegateStuck, 0},
                           {"bus-lost", &Faults::busLost, 0.01},
                           {"bus-late", &Faults::busLate, 0.01},
                           {"bus-corrupt", &Faults::busCorrupt, 0.001}})
        if (s.name == name) {
            const double share = amount.value_or(s.usual);
            if (share < 0 || share > 1) return unknown(text, "a share lies between 0 and 1.");
            faults.*s.member = share;
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
    static const std::vector<FaultChoice> all = {{"pressure:dead", "Pressure sensor dead"},
                                                 {"pressure:scaled=0.85", "Pressure sensor reads 15 % low"},
                                                 {"airflow:dead", "Airflow meter dead"},
                                                 {"airflow:slow=2", "Airflow meter slow"},
                                                 {"throttle:offset=0.4", "Throttle sensor 0.4 V off"},
                                                 {"pedal:dead", "Pedal sensor dead"},
                                                 {"intake:stuck", "Intake temperature stuck"},
                                                 {"coolant:dead", "Coolant sensor dead"},
                                                 {"narrowband:stuck", "Narrowband stuck"},
                                                 {"narrowband:slow=1", "Narrowband slow"},
                                                 {"wideband:offset=0.05", "Wideband reads lean by 0.05"},
                                                 {"wideband-leak", "Air leak before the wideband"},
                                                 {"wideband-late-pipe", "Wideband in a pipe that opens late"},
                                                 {"knock:dead", "Knock sensor dead"},
                                                 {"wheel:dead", "Wheel sensor dead"},
                                                 {"low-battery", "Low battery"},
                                                 {"weak-pump", "Weak fuel pump"},
                                                 {"wastegate-stuck=0", "Wastegate stuck closed"},
                                                 {"wastegate-stuck=1", "Wastegate stuck open"},
                                                 {"bus-lost=0.01", "1 % of frames lost"},
                                                 {"bus-late=0.01", "1 % of frames late"},
                                                 {"bus-corrupt=0.001", "0.1 % of frames corrupted"}};
    return all;
}

}  // namespace brusk::benchcar
