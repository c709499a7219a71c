// sensor: what others send on the bus, and what this car's mean.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <cmath>
#include <iostream>

#include "core/base/Text.h"
#include "core/job/Sensors.h"
#include "ctl/Links.h"

namespace brusk::ctl {
namespace {

using nlohmann::json;

struct Options {
    LinkOptions link;
    std::string car, message, signal, channel, role, unit, shows, name;
    std::vector<std::string> points;
    double seconds = 1;
};

json sensorJson(const drive::Sensor& sensor) {
    json out{{"title", sensor.title}, {"name", sensor.name},           {"unit", sensor.unit},
             {"role", sensor.role},   {"slope", sensor.scaling.slope}, {"offset", sensor.scaling.offset}};
    if (sensor.analogue())
        out["channel"] = sensor.channel;
    else
        out["message"] = sensor.message;
    return out;
}

std::string sensorText(const drive::Sensor& sensor) {
    std::string out = (sensor.analogue() ? sensor.channel : sensor.message) + " " + sensor.name;
    if (!sensor.scaling.isIdentity())
        out += ": " + formatNumber(sensor.scaling.slope, 4) + " * raw + " + formatNumber(sensor.scaling.offset, 4);
    out += sensor.unit.empty() ? "" : " " + sensor.unit;
    return out + (sensor.role.empty() ? "" : ", plays " + sensor.role) + "\n";
}

/// A folder to work in, its sensors, and the kit of its controller; null before that was read.
struct Kept {
    std::unique_ptr<carfolder::CarFolder> folder;
    std::shared_ptr<const job::Kit> kit;
    job::KeptSensors sensors;
};
Result<Kept> keptOf(Context& c, const std::string& car) {
    auto folder = carfolder::CarFolder::open(c.files, car);
    if (!folder) return tl::unexpected(folder.error());
    Kept out;
    out.folder = std::move(*folder);
    if (auto kit = kitOf(c, *out.folder)) out.kit = std::move(*kit);
    auto sensors = job::sensorsOf(*out.folder);
    if (!sensors) return tl::unexpected(sensors.error());
    out.sensors = std::move(*sensors);
    return out;
}

Done keep(Context& c, Kept& kept, const drive::Sensor& sensor, const std::string& dbc) {
    if (!kept.folder->mayWrite()) return fail(ErrorCode::Refused, "Nothing can be kept: " + kept.folder->whyNot());
    if (auto done = job::check(sensor, kept.kit.get()); !done) return done;
    job::put(kept.sensors, sensor, dbc, kept.kit.get());
    if (auto done = job::keepSensors(*kept.folder, kept.sensors); !done) return done;
    c.outcome.json = {{"sensor", sensorJson(sensor)}};
    c.outcome.text = sensorText(sensor);
    return {};
}

std::vector<job::SensorFile> library(Context& c) {
    std::vector<std::string> remarks;
    auto out = job::sensorLibrary(c.files, {dataFolder(), importHomeOf(c).dbcs()}, remarks);
    for (const std::string& remark : remarks)
        std::cerr << remark << "\n";
    return out;
}

Done find(Context& c, const Options& o) {
    std::shared_ptr<const job::Kit> kit;
    if (!o.car.empty()) {
        auto kept = keptOf(c, o.car);
        if (!kept) return tl::unexpected(kept.error());
        auto with = job::withKeptSensors(kept->kit, *kept->folder);
        if (!with) return tl::unexpected(with.error());
        kit = std::move(*with);
    }
    const auto link = openLink(c, o.link);
    if (!link) return tl::unexpected(link.error());
    const auto ears = job::listen(*(*link)->port, o.seconds);
    if (!ears) return tl::unexpected(ears.error());
    const auto known = library(c);
    json offers = json::array(), heard = json::array();
    for (const auto& offer : job::sensorOffers(*ears, known, kit.get())) {
        json one = sensorJson(offer.sensor);
        one["file"] = offer.file->title;
        one["rate_hz"] = offer.rate_hz;
        if (!std::isnan(offer.value)) one["value"] = offer.value;
        offers.push_back(std::move(one));
        c.outcome.text += job::offerSentence(offer) + "\n";
    }
    for (const auto& [id, frame] : ears->heard())
        heard.push_back({{"id", id.second}, {"extended", id.first}, {"rate_hz", frame.rate_hz()}});
    if (offers.empty()) c.outcome.text = "Nothing that is heard and not known yet is described by a DBC file here.\n";
    c.outcome.json = {{"offers", offers}, {"heard", heard}};
    return {};
}

Done list(Context& c, const Options& o) {
    const auto kept = keptOf(c, o.car);
    if (!kept) return tl::unexpected(kept.error());
    json all = json::array();
    for (const auto& sensor : kept->sensors.sensors) {
        all.push_back(sensorJson(sensor));
        c.outcome.text += sensorText(sensor);
    }
    if (all.empty()) c.outcome.text = "No sensors are kept with this car.\n";
    c.outcome.json = {{"sensors", all}};
    return {};
}

Done use(Context& c, const Options& o) {
    auto kept = keptOf(c, o.car);
    if (!kept) return tl::unexpected(kept.error());
    for (const auto& file : library(c))
        for (const auto& message : file.messages) {
            const auto* signal = message.name == o.message ? message.find(o.signal) : nullptr;
            if (!signal) continue;
            drive::Sensor sensor;
            sensor.title = message.name + ", " + signal->name;
            sensor.message = message.name;
            sensor.name = signal->name;
            sensor.unit = o.unit.empty() ? signal->unit : o.unit;
            sensor.role = o.role;
            return keep(c, *kept, sensor, file.text);
        }
    return fail(ErrorCode::NotFound, "No DBC file here describes " + o.message + " " + o.signal + ".");
}

/// "2.5:1.0".
drive::Scaling::Point pointOf(const std::string& text) {
    const size_t colon = text.find(':');
    const auto raw = parseNumber(text.substr(0, colon));
    const auto value = colon == std::string::npos ? std::nullopt : parseNumber(text.substr(colon + 1));
    if (!raw || !value) throw WrongUse{text + ": VOLTS:VALUE, as 2.5:1.0."};
    return {*raw, *value};
}

Done wire(Context& c, const Options& o) {
    auto kept = keptOf(c, o.car);
    if (!kept) return tl::unexpected(kept.error());
    drive::Sensor sensor;
    sensor.name = o.channel + "_scaled";
    if (const auto* old = drive::sensorOf(kept->sensors.sensors, "", sensor.name)) sensor = *old;
    sensor.channel = o.channel;
    sensor.title = o.role + " on " + o.channel;
    sensor.role = o.role;
    sensor.unit = o.unit;
    if (!o.points.empty()) {
        if (o.points.size() != 2) throw WrongUse{"sensor wire: two points make a line, --point V:VALUE twice."};
        const auto line = drive::Scaling::through(pointOf(o.points[0]), pointOf(o.points[1]));
        if (!line) return tl::unexpected(line.error());
        sensor.scaling = *line;
    } else if (sensor.scaling.isIdentity()) {
        throw WrongUse{"sensor wire: give two points, --point V:VALUE twice."};
    }
    if (!o.shows.empty()) {
        const auto shown = pointOf(o.shows);
        sensor.scaling = sensor.scaling.shownAs(shown.raw, shown.value);
    }
    return keep(c, *kept, sensor, {});
}

Done forget(Context& c, const Options& o) {
    auto kept = keptOf(c, o.car);
    if (!kept) return tl::unexpected(kept.error());
    const auto& all = kept->sensors.sensors;
    const auto at = std::find_if(all.begin(), all.end(), [&](const auto& sensor) { return sensor.name == o.name; });
    if (at == all.end()) return fail(ErrorCode::NotFound, "This car keeps no sensor \"" + o.name + "\".");
    (void)job::forget(kept->sensors, *at);
    c.outcome.json = {{"forgotten", o.name}};
    c.outcome.text = "Forgotten.\n";
    return job::keepSensors(*kept->folder, kept->sensors);
}

}  // namespace

void addSensorCommands(Command app, Context& c) {
    auto group = app.group("sensor", "sensors that are not the controller's own");
    const auto add = [&](const char* name, const char* help, auto work, bool needsCar = true) {
        auto o = std::make_shared<Options>();
        auto sub = group.command(name, help);
        auto car = sub.option("--car", o->car, "car folder");
        if (needsCar) car.required();
        sub.run([o, work, &c] {
            if (auto done = work(c, *o); !done) c.outcome.fail(done.error());
        });
        return std::pair{sub, o};
    };
    {
        auto [sub, o] = add("find", "what others send on the bus and a DBC file describes", find, false);
        o->link.addTo(sub);
        sub.option("--seconds", o->seconds, "how long to listen; nothing is sent").range(0.1, 60.0);
    }
    (void)add("list", "the sensors of a car", list);
    {
        auto [sub, o] = add("use", "keep a signal of a DBC file with a car", use);
        sub.option("MESSAGE", o->message).required();
        sub.option("SIGNAL", o->signal).required();
        sub.option("--role", o->role, "what it plays; nothing when not given");
        sub.option("--unit", o->unit, "where the file says another than is sent");
    }
    {
        auto [sub, o] = add("wire", "a voltage on an input is a sensor: put right in all recordings", wire);
        sub.option("CHANNEL", o->channel, "the controller's measurement, in V").required();
        sub.option("--role", o->role, "what it plays").required();
        sub.option("--unit", o->unit, "of the values").required();
        sub.option("--point", o->points, "V:VALUE, twice");
        sub.option("--shows", o->shows, "V:VALUE: what another gauge shows; the line is moved there");
    }
    {
        auto [sub, o] = add("forget", "a car no longer has it", forget);
        sub.option("NAME", o->name).required();
    }
}

}  // namespace brusk::ctl
