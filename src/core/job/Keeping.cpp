// Each kind of text with its way out and its way in; what can't be read is an error with its reason.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/Keeping.h"

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>

namespace brusk::job {

using nlohmann::json;

namespace {

/// What comes from outside may hold bytes that are no text; they are replaced.
std::string textOf(const json& out) {
    return out.dump(-1, ' ', false, json::error_handler_t::replace);
}

}  // namespace

namespace {

/// Members that sheets had before stock stood beside fitted.
constexpr std::pair<const char*, proposals::Fact> kEarlier[] = {
    {"injector_flow_cm3min", proposals::Fact::InjectorFlow},
    {"injector_rated_pressure_kPa", proposals::Fact::InjectorPressure},
    {"fuel_pressure_kPa", proposals::Fact::FuelPressure},
    {"ethanol_pct", proposals::Fact::Ethanol}};
constexpr std::pair<const char*, proposals::Fact> kEarlierSensor[] = {
    {"low_volts", proposals::Fact::SensorLowVolts},
    {"low_kPa", proposals::Fact::SensorLowPressure},
    {"high_volts", proposals::Fact::SensorHighVolts},
    {"high_kPa", proposals::Fact::SensorHighPressure}};

/// Which of the names a member says; the first where it is not there, nothing where it says another.
template <size_t N>
std::optional<size_t> choiceIn(const json& in, const char* member, const std::string_view (&names)[N]) {
    const std::string said = in.value(member, std::string(names[0]));
    const auto at = std::find(std::begin(names), std::end(names), said);
    return at == std::end(names) ? std::nullopt : std::optional(static_cast<size_t>(at - std::begin(names)));
}

}  // namespace

namespace {

json toJson(const std::vector<proposals::DeadTimePoint>& table) {
    json out = json::array();
    for (const auto& point : table)
        out.push_back({{"volts", point.volts}, {"us", point.time_us}});
    return out;
}

json toJson(const std::vector<proposals::MeterPoint>& curve) {
    json out = json::array();
    for (const auto& point : curve)
        out.push_back({{"reading", point.reading}, {"kgh", point.flow_kgh}});
    return out;
}

/// The member "meter_curve", if there is one.
std::vector<proposals::MeterPoint> meterCurveIn(const json& in) {
    std::vector<proposals::MeterPoint> out;
    for (const json& point : in.value("meter_curve", json::array()))
        out.push_back({point.at("reading"), point.at("kgh")});
    return out;
}

/// The member "dead_times", if there is one.
std::vector<proposals::DeadTimePoint> deadTimesIn(const json& in) {
    std::vector<proposals::DeadTimePoint> out;
    for (const json& point : in.value("dead_times", json::array()))
        out.push_back({point.at("volts"), point.at("us")});
    return out;
}

}  // namespace

std::string toJson(const proposals::BuildSheet& sheet) {
    json out = json::object();
    for (const bool fitted : {false, true})
        for (const auto& kind : proposals::factKinds())
            if (const auto value = sheet.of(kind.fact, fitted))
                out[fitted ? "fitted" : "stock"][std::string(kind.key)] = *value;
    if (!sheet.deadTimes.empty()) out["dead_times"] = toJson(sheet.deadTimes);
    if (!sheet.meterCurve.empty()) out["meter_curve"] = toJson(sheet.meterCurve);
    out["load_model"] = proposals::kLoadModels[static_cast<size_t>(sheet.loadModel)];
    if (!sheet.gears.empty()) out["gears"] = sheet.gears;
    if (sheet.regulator != proposals::Regulator::AsBuilt)
        out["regulator"] = proposals::kRegulators[static_cast<size_t>(sheet.regulator)];
    if (sheet.wideband != proposals::WidebandPlace::NotTold)
        out["wideband"] = proposals::kWidebandPlaces[static_cast<size_t>(sheet.wideband)];
    out["wish"] = proposals::kWishes[static_cast<size_t>(sheet.wish)];
    if (!sheet.notes.empty()) out["notes"] = sheet.notes;
    return out.dump(-1, ' ', false, json::error_handler_t::replace);
}

Result<proposals::BuildSheet> buildSheetFromJson(const std::string& text) {
    proposals::BuildSheet sheet;
    if (text.empty()) return sheet;
    try {
        const json in = json::parse(text);
        for (const auto& [key, fact] : kEarlier)
            if (in.contains(key)) sheet.of(fact) = in[key].get<double>();
        if (in.contains("pressure_sensor"))
            for (const auto& [key, fact] : kEarlierSensor)
                sheet.of(fact) = in["pressure_sensor"].at(key).get<double>();
        for (const bool fitted : {false, true}) {
            const json facts = in.value(fitted ? "fitted" : "stock", json::object());
            for (const auto& [key, value] : facts.items()) {
                const auto* kind = proposals::kindNamed(key);
                if (!kind)
                    return fail(ErrorCode::BadInput,
                                "The build sheet says \"" + key + "\", which Brusk does not know.");
                sheet.of(kind->fact, fitted) = value.get<double>();
            }
        }
        sheet.deadTimes = deadTimesIn(in);
        sheet.meterCurve = meterCurveIn(in);
        const auto model = choiceIn(in, "load_model", proposals::kLoadModels);
        const auto wish = choiceIn(in, "wish", proposals::kWishes);
        const auto regulator = choiceIn(in, "regulator", proposals::kRegulators);
        const auto wideband = choiceIn(in, "wideband", proposals::kWidebandPlaces);
        for (const auto& [member, known] : {std::pair{"load_model", model.has_value()},
                                            {"wish", wish.has_value()},
                                            {"regulator", regulator.has_value()},
                                            {"wideband", wideband.has_value()}})
            if (!known)
                return fail(ErrorCode::BadInput,
                            std::string("The build sheet's \"") + member + "\" is none that Brusk knows.");
        sheet.regulator = static_cast<proposals::Regulator>(*regulator);
        sheet.wideband = static_cast<proposals::WidebandPlace>(*wideband);
        sheet.gears = in.value("gears", std::vector<double>());
        sheet.loadModel = static_cast<proposals::LoadModel>(*model);
        sheet.wish = static_cast<proposals::Wish>(*wish);
        sheet.notes = in.value("notes", "");
        return sheet;
    } catch (const json::exception& problem) {
        return fail(ErrorCode::BadInput, std::string("The build sheet can't be read: ") + problem.what() + ".");
    }
}

std::string toJson(const std::vector<proposals::Part>& parts) {
    json list = json::array();
    for (const auto& part : parts) {
        json one = {{"group", part.group}, {"name", part.name}};
        for (const auto& [fact, value] : part.facts)
            one[std::string(proposals::kindOf(fact).key)] = value;
        if (!part.deadTimes.empty()) one["dead_times"] = toJson(part.deadTimes);
        if (!part.meterCurve.empty()) one["meter_curve"] = toJson(part.meterCurve);
        list.push_back(std::move(one));
    }
    return json{{"parts", list}}.dump(2, ' ', false, json::error_handler_t::replace);
}

Result<std::vector<proposals::Part>> partsFromJson(const std::string& text) {
    std::vector<proposals::Part> out;
    try {
        const json in = json::parse(text);
        for (const json& one : in.at("parts")) {
            proposals::Part part{one.at("name"), one.at("group"), {}, deadTimesIn(one), meterCurveIn(one)};
            for (const auto& kind : proposals::factKinds())
                if (const auto at = one.find(std::string(kind.key)); at != one.end())
                    part.facts.emplace_back(kind.fact, at->get<double>());
            if (const std::string why = proposals::refusalOf(part); !why.empty()) return fail(ErrorCode::BadInput, why);
            out.push_back(std::move(part));
        }
    } catch (const json::exception& problem) {
        return fail(ErrorCode::BadInput, std::string("The list of parts can't be read: ") + problem.what() + ".");
    }
    return out;
}

Result<std::vector<proposals::Part>> loadParts(storage::FileSystem& files, const storage::Path& path) {
    if (!files.exists(path)) return std::vector<proposals::Part>();
    const auto text = files.read(path);
    if (!text) return tl::unexpected(text.error());
    return partsFromJson(std::string(asText(*text)));
}

namespace {
bool sameName(const proposals::Part& a, const proposals::Part& b) {
    return a.group == b.group && a.name == b.name;
}
}  // namespace

Done keepPart(storage::FileSystem& files, const storage::Path& path, const proposals::Part& part) {
    if (const std::string why = proposals::refusalOf(part); !why.empty()) return fail(ErrorCode::BadInput, why);
    const storage::Stamp seen = files.stamp(path);
    auto parts = loadParts(files, path);
    if (!parts) return tl::unexpected(parts.error());
    std::erase_if(*parts, [&](const auto& other) { return sameName(other, part); });
    parts->push_back(part);
    if (auto done = files.makeFolder(path.parent_path()); !done) return done;
    return files.save(path, asBytes(toJson(*parts)), seen);
}

Done forgetPart(storage::FileSystem& files, const storage::Path& path, const proposals::Part& part) {
    const storage::Stamp seen = files.stamp(path);
    auto parts = loadParts(files, path);
    if (!parts) return tl::unexpected(parts.error());
    if (std::erase_if(*parts, [&](const auto& other) { return sameName(other, part); }) == 0)
        return fail(ErrorCode::NotFound, "There is no part \"" + part.name + "\" of your own.");
    return files.save(path, asBytes(toJson(*parts)), seen);
}

std::string toJson(const proposals::Decisions& decisions) {
    json out = json::object();
    for (const auto& [id, decision] : decisions) {
        json one = {{"accepted", decision.accepted}, {"strength", decision.strength}};
        if (decision.number) one["number"] = *decision.number;
        out[id] = std::move(one);
    }
    return out.dump(-1, ' ', false, json::error_handler_t::replace);
}

Result<proposals::Decisions> decisionsFromJson(const std::string& text) {
    proposals::Decisions out;
    if (text.empty()) return out;
    try {
        const json in = json::parse(text);
        for (const auto& [id, one] : in.items()) {
            proposals::Decision& decision = out[id];
            decision.accepted = one.value("accepted", true);
            decision.strength = std::clamp(one.value("strength", 1.0), 0.0, 1.0);
            if (one.contains("number")) decision.number = one["number"].get<double>();
        }
        return out;
    } catch (const json::exception& problem) {
        return fail(ErrorCode::BadInput,
                    std::string("The decisions on the base can't be read: ") + problem.what() + ".");
    }
}

std::string toJson(const link::Identity& identity) {
    return json{{"values", identity.values}, {"voltage", identity.voltage}}.dump(-1, ' ', false,
                                                                                 json::error_handler_t::replace);
}

Result<link::Identity> identityFromJson(const std::string& text) {
    link::Identity out;
    if (text.empty()) return fail(ErrorCode::NotFound, "This car was not identified yet.");
    try {
        const json in = json::parse(text);
        out.values = in.at("values").get<std::map<std::string, std::string>>();
        out.voltage = in.value("voltage", 0.0);
        return out;
    } catch (const json::exception& problem) {
        return fail(ErrorCode::BadInput, std::string("The stored identity can't be read: ") + problem.what() + ".");
    }
}

std::string toJson(const RoundReason& reason) {
    json out{{"kind", reason.kind}};
    if (!reason.settings.empty()) out["settings"] = reason.settings;
    if (!reason.now.empty()) out["now"] = reason.now;
    if (!reason.expected.empty()) out["expected"] = reason.expected;
    if (reason.cells) out["cells"] = reason.cells;
    for (const Promised& one : reason.promised) {
        json promised{{"kind", one.kind},
                      {"figure", one.figure},
                      {"now", one.now},
                      {"expected", one.expected},
                      {"doubt", one.doubt}};
        for (const proposals::CellEstimate& cell : one.cells)
            promised["cells"].push_back({cell.cell, cell.off, cell.doubt});
        out["promised"].push_back(std::move(promised));
    }
    return textOf(out);
}

Result<RoundReason> reasonFromJson(const std::string& text) {
    if (text.empty()) return RoundReason{};
    using Numbers = std::map<std::string, double>;
    try {
        const auto in = json::parse(text);
        RoundReason out{in.at("kind"), in.value("settings", Numbers()), in.value("now", Numbers()),
                        in.value("expected", Numbers()), in.value("cells", size_t{0})};
        for (const auto& one : in.value("promised", json::array())) {
            auto& promised = out.promised.emplace_back(
                Promised{one.at("kind"), one.at("figure"), one.at("now"), one.at("expected"), one.at("doubt")});
            for (const auto& cell : one.value("cells", json::array()))
                promised.cells.push_back({cell.at(0), cell.at(1), cell.at(2)});
        }
        return out;
    } catch (const json::exception& problem) {
        return fail(ErrorCode::BadInput, std::string("Why a round was made can't be read: ") + problem.what());
    }
}

std::string toJson(const std::map<std::string, Came>& came) {
    json out = json::object();
    for (const auto& [kind, one] : came) {
        out[kind] = {{"value", one.value}, {"doubt", one.doubt}};
        if (one.cells)
            out[kind]["cells"] = {{"q", one.cells->q}, {"numbers", one.cells->numbers}, {"more", one.cells->more}};
    }
    return textOf(out);
}

Result<std::map<std::string, Came>> cameFromJson(const std::string& text) {
    std::map<std::string, Came> out;
    if (text.empty()) return out;
    try {
        const json in = json::parse(text);
        for (const auto& [kind, one] : in.items()) {
            Came& kept = out[kind] = {one.at("value"), one.at("doubt")};
            if (const auto cells = one.find("cells"); cells != one.end())
                kept.cells = proposals::Match{cells->at("q"), cells->at("numbers"), cells->at("more")};
        }
        return out;
    } catch (const json::exception& problem) {
        return fail(ErrorCode::BadInput, std::string("What came of a round can't be read: ") + problem.what());
    }
}

std::string toJson(const std::vector<KeptDonor>& donors) {
    json list = json::array();
    for (const KeptDonor& one : donors)
        list.push_back({{"name", one.name}, {"definition", one.definition}});
    return textOf(list);
}

Result<std::vector<KeptDonor>> donorsFromJson(const std::string& text) {
    std::vector<KeptDonor> out;
    if (text.empty()) return out;
    try {
        for (const json& one : json::parse(text))
            // Names only: what stands elsewhere is none of the folder's.
            out.push_back({storage::Path(one.at("name").get<std::string>()).filename().string(),
                           storage::Path(one.value("definition", "")).filename().string()});
    } catch (const json::exception& problem) {
        return fail(ErrorCode::BadInput, std::string("The folder's list of donors can't be read: ") + problem.what());
    }
    return out;
}

std::string toJson(const recording::ImportPlan& plan) {
    json points = json::array(), columns = json::array();
    for (const auto& point : plan.points) {
        json one{{"id", point.id},
                 {"title", point.title},
                 {"value", point.value},
                 {"certainty", point.certainty},
                 {"why", point.why}};
        for (const auto& choice : point.choices)
            one["choices"].push_back(choice.value);
        if (!point.takes.empty()) one["takes"] = point.takes;
        points.push_back(std::move(one));
    }
    for (const auto& column : plan.columns) {
        json one{{"column", column.key}, {"name", column.name},           {"unit", column.unit}, {"role", column.role},
                 {"kind", column.kind},  {"certainty", column.certainty}, {"why", column.why},   {"use", column.use}};
        if (!column.group.empty()) one["group"] = column.group;
        if (column.factor != 1) one["factor"] = column.factor;
        if (column.offset != 0) one["offset"] = column.offset;
        columns.push_back(std::move(one));
    }
    return textOf({{"format", recording::fileKindName(plan.kind)},
                   {"fingerprint", plan.fingerprint},
                   {"points", points},
                   {"columns", columns}});
}

std::string toJson(const recording::ImportSaid& said) {
    json points = json::array(), columns = json::array();
    for (const auto& [id, value] : said.points)
        points.push_back({{"id", id}, {"value", value}});
    for (const auto& [key, column] : said.columns) {
        json one{{"column", key}};
        const auto put = [&](const char* member, const auto& value) {
            if (value) one[member] = *value;
        };
        put("name", column.name), put("unit", column.unit), put("role", column.role), put("kind", column.kind);
        put("factor", column.factor), put("offset", column.offset), put("use", column.use);
        columns.push_back(std::move(one));
    }
    return textOf({{"points", points}, {"columns", columns}});
}

Result<recording::ImportSaid> importSaidFromJson(const std::string& text) {
    recording::ImportSaid out;
    try {
        const json in = json::parse(text);
        for (const json& point : in.value("points", json::array()))
            out.points[point.at("id").get<std::string>()] = point.at("value").get<std::string>();
        for (const json& one : in.value("columns", json::array())) {
            recording::ColumnSaid& column = out.columns[one.at("column").get<std::string>()];
            const auto take = [&]<class T>(const char* member, std::optional<T>& value) {
                if (one.contains(member)) value = one.at(member).get<T>();
            };
            take("name", column.name), take("unit", column.unit), take("role", column.role);
            take("kind", column.kind), take("factor", column.factor), take("offset", column.offset);
            take("use", column.use);
        }
    } catch (const json::exception& problem) {
        return fail(ErrorCode::BadInput, std::string("The import plan can't be read: ") + problem.what() + ".");
    }
    return out;
}

std::string toJson(const KeptSensors& kept) {
    json list = json::array();
    for (const drive::Sensor& sensor : kept.sensors) {
        json one{{"title", sensor.title}, {"name", sensor.name},           {"role", sensor.role},
                 {"unit", sensor.unit},   {"slope", sensor.scaling.slope}, {"offset", sensor.scaling.offset}};
        if (sensor.analogue())
            one["channel"] = sensor.channel;
        else
            one["message"] = sensor.message;
        if (std::isfinite(sensor.least)) one["least"] = sensor.least;
        if (std::isfinite(sensor.most)) one["most"] = sensor.most;
        list.push_back(std::move(one));
    }
    json out{{"sensors", std::move(list)}};
    if (!kept.dbcs.empty()) out["dbc"] = kept.dbcs;
    return textOf(out);
}

Result<KeptSensors> keptSensorsFromJson(const std::string& text) try {
    const json in = json::parse(text);
    KeptSensors out;
    out.dbcs = in.value("dbc", std::vector<std::string>());
    for (const json& one : in.at("sensors")) {
        drive::Sensor sensor;
        sensor.title = one.value("title", "");
        sensor.name = one.at("name").get<std::string>();
        sensor.message = one.value("message", "");
        sensor.channel = one.value("channel", "");
        sensor.role = one.value("role", "");
        sensor.unit = one.value("unit", "");
        sensor.scaling = {one.value("slope", 1.0), one.value("offset", 0.0)};
        sensor.least = one.value("least", sensor.least);
        sensor.most = one.value("most", sensor.most);
        if (auto done = check(sensor, nullptr); !done) return tl::unexpected(done.error());
        out.sensors.push_back(std::move(sensor));
    }
    return out;
} catch (const json::exception& e) {
    return fail(ErrorCode::BadInput, std::string("The list of sensors can't be read: ") + e.what());
}

std::string toJson(const SetsByFamily& sets) {
    json out = json::object();
    for (const auto& [family, own] : sets)
        for (const KeptSet& set : own) {
            json paces = json::object();
            for (const auto& [channel, pace] : set.paces)
                paces[channel] = paceName(pace);
            out[family].push_back({{"name", set.name}, {"channels", set.channels}, {"paces", paces}});
        }
    return textOf(out);
}

Result<SetsByFamily> setsFromJson(const std::string& text) try {
    SetsByFamily out;
    const json all = json::parse(text);
    if (!all.is_object()) return fail(ErrorCode::BadInput, "Sets of channels are kept by family.");
    for (const auto& [family, own] : all.items())
        for (const json& one : own) {
            KeptSet set{one.at("name").get<std::string>(), one.at("channels").get<std::vector<std::string>>(), {}};
            const json paces = one.value("paces", json::object());
            for (const auto& [channel, name] : paces.items()) {
                const auto pace = paceNamed(name.get<std::string>());
                if (!pace)
                    return fail(ErrorCode::BadInput, "A channel is fast, medium or slow; " + channel + " is none.");
                set.paces.emplace(channel, *pace);
            }
            out[family].push_back(std::move(set));
        }
    return out;
} catch (const json::exception& e) {
    return fail(ErrorCode::BadInput, std::string("The sets of channels can't be read: ") + e.what());
}

std::string toJson(const std::vector<drive::Guard>& guards) {
    json out = json::array();
    for (const drive::Guard& guard : guards)
        out.push_back({{"title", guard.title},
                       {"condition", guard.condition},
                       {"calm", guard.calm},
                       {"hold_s", guard.hold_s},
                       {"sentence", guard.sentence},
                       {"sound", guard.sound}});
    return textOf(out);
}

Result<std::vector<drive::Guard>> guardsFromJson(const std::string& text) try {
    std::vector<drive::Guard> out;
    for (const json& one : json::parse(text))
        out.push_back({"", one.at("title").get<std::string>(), one.at("condition").get<std::string>(),
                       one.value("calm", ""), one.value("hold_s", 0.0), one.value("sentence", ""),
                       one.value("sound", true)});
    return out;
} catch (const json::exception& e) {
    return fail(ErrorCode::BadInput, std::string("The list of guards can't be read: ") + e.what());
}

}  // namespace brusk::job
