// Frames against descriptions, numbers against roles, old recordings against what is known now.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/Sensors.h"

#include <algorithm>
#include <cmath>
#include <utility>

#include "core/base/Text.h"
#include "core/evidence/Sampled.h"
#include "core/job/Drive.h"
#include "core/job/Keeping.h"
#include "core/roles/Likeness.h"

namespace brusk::job {
namespace {

constexpr const char* kSetting = "sensors";

bool lies(const recording::Channel& channel, const drive::Sensor& sensor) {
    return channel.name == sensor.name;
}

recording::Group* groupOf(recording::Recording& recording, const drive::Sensor& sensor) {
    for (auto& group : recording.groups)
        if (group.name == sensor.group() &&
            std::any_of(group.channels.begin(), group.channels.end(), [&](const auto& c) { return lies(c, sensor); }))
            return &group;
    return nullptr;
}

/// Without what arrived beyond the sensor's range.
recording::Column believed(const drive::Sensor& sensor, recording::Column values) {
    if (std::isinf(sensor.least) && std::isinf(sensor.most)) return values;
    for (float& value : values.edit())
        if (!sensor.believes(sensor.scaling.rawOf(static_cast<double>(value)))) value = std::nanf("");
    return values;
}

/// From the voltage itself, where that was recorded.
void putRightByVoltage(const drive::Sensor& sensor, recording::Recording& recording) {
    recording::Group* of = nullptr;
    const recording::Channel* volts = nullptr;
    for (auto& group : recording.groups)
        if (const auto* channel = group.find(sensor.channel); channel && group.timed) of = &group, volts = channel;
    if (!volts) return;
    recording::Group made;
    made.name = sensor.group();
    made.rate_hz = of->rate_hz;
    made.time_s = of->time_s;
    made.channels.push_back({sensor.name, sensor.unit, sensor.title, sensor.role,
                             believed(sensor, volts->values.scaled(sensor.scaling.slope, sensor.scaling.offset))});
    if (auto* group = groupOf(recording, sensor))
        *group = std::move(made);
    else
        recording.groups.push_back(std::move(made));
}

}  // namespace

namespace {

/// A sender whose number is somebody else's now: neither that nor what it says of its own readiness counts.
void silence(KeptSensors& kept, const can::DbcMessage& message, const std::string& role) {
    const auto plays = [&](const can::DbcSignal& signal, std::string_view what) {
        return roleOfSignal(message, signal) == what;
    };
    const auto& all = message.signalList;
    if (std::none_of(all.begin(), all.end(), [&](const auto& signal) { return plays(signal, role); })) return;
    for (const auto& signal : all) {
        if (!plays(signal, role) && !plays(signal, "wideband_ready")) continue;
        if (drive::sensorOf(kept.sensors, message.name, signal.name)) continue;
        kept.sensors.push_back(asItComes(message, signal));
        kept.sensors.back().role.clear();
    }
}

/// An entry that does nothing but take a role away.
bool onlySilences(const drive::Sensor& sensor) {
    return !sensor.analogue() && sensor.role.empty() && sensor.scaling.isIdentity();
}

bool isPlayed(const KeptSensors& kept, const std::string& role) {
    return std::any_of(kept.sensors.begin(), kept.sensors.end(), [&](const auto& other) { return other.role == role; });
}

/// Nobody plays a role any more: who was silenced for it plays it again.
void letSpeak(KeptSensors& kept, const std::string& role, const Kit& kit) {
    for (const auto& message : kit.externalSensors) {
        const auto& all = message.signalList;
        if (std::none_of(all.begin(), all.end(), [&](const auto& s) { return roleOfSignal(message, s) == role; }))
            continue;
        std::erase_if(kept.sensors, [&](const drive::Sensor& sensor) {
            return sensor.message == message.name && onlySilences(sensor);
        });
    }
}

}  // namespace

drive::Sensor asItComes(const can::DbcMessage& message, const can::DbcSignal& signal) {
    drive::Sensor out;
    out.title = message.name + ", " + signal.name;
    out.message = message.name;
    out.name = signal.name;
    out.unit = signal.unit;
    out.role = roleOfSignal(message, signal);
    return out;
}

Result<KeptSensors> sensorsOf(const carfolder::CarFolder& folder) {
    const auto text = folder.settings().get(kSetting);
    if (!text) return tl::unexpected(text.error());
    if (text->empty()) return KeptSensors{};
    return keptSensorsFromJson(*text);
}

Done keepSensors(carfolder::CarFolder& folder, const KeptSensors& kept) {
    return folder.settings().set(kSetting, toJson(kept));
}

void put(KeptSensors& kept, const drive::Sensor& sensor, const std::string& dbc, const Kit* kit) {
    if (!sensor.role.empty()) {
        for (auto& other : kept.sensors)
            if (!other.sameAs(sensor) && other.role == sensor.role) other.role.clear();
        if (kit)
            for (const auto& message : kit->externalSensors)
                if (message.name != sensor.message) silence(kept, message, sensor.role);
    }
    const auto at = std::find_if(kept.sensors.begin(), kept.sensors.end(),
                                 [&](const drive::Sensor& other) { return other.sameAs(sensor); });
    if (at == kept.sensors.end()) {
        kept.sensors.push_back(sensor);
    } else {
        const std::string before = std::exchange(*at, sensor).role;
        if (kit && !before.empty() && !isPlayed(kept, before)) letSpeak(kept, before, *kit);
    }
    if (!dbc.empty() && std::find(kept.dbcs.begin(), kept.dbcs.end(), dbc) == kept.dbcs.end()) kept.dbcs.push_back(dbc);
}

bool forget(KeptSensors& kept, const drive::Sensor& sensor) {
    const drive::Sensor gone = sensor;  // it may be one of the list
    const bool was = std::erase_if(kept.sensors, [&](const auto& other) { return other.sameAs(gone); }) > 0;
    if (was && !gone.role.empty() && !isPlayed(kept, gone.role)) std::erase_if(kept.sensors, onlySilences);
    return was;
}

Done check(const drive::Sensor& sensor, const Kit* kit) {
    if (sensor.name.empty()) return fail(ErrorCode::BadInput, "The sensor needs a name.");
    if (!std::isfinite(sensor.scaling.slope) || !std::isfinite(sensor.scaling.offset) || sensor.scaling.slope == 0)
        return fail(ErrorCode::BadInput, "The sensor's slope is nil or no number: it would always say the same.");
    if (!(sensor.least < sensor.most))
        return fail(ErrorCode::BadInput, "The sensor's range ends before it begins; nothing would be believed.");
    const auto role = roles::Role::named(sensor.role);
    if (!sensor.role.empty() && !role) return fail(ErrorCode::NotFound, "Nobody knows a role \"" + sensor.role + "\".");
    if (role && !evidence::intoRole(sensor.unit, *role))
        return fail(ErrorCode::Mismatch, "What plays " + std::string(role->title()) + " is measured in " +
                                             std::string(role->unit()) + "; " + sensor.unit + " is something else.");
    if (sensor.analogue() && kit && !kit->definition->measurement(sensor.channel))
        return fail(ErrorCode::NotFound, "The controller has no measurement \"" + sensor.channel + "\".");
    return {};
}

Result<std::shared_ptr<const Kit>> withKeptSensors(std::shared_ptr<const Kit> kit, const carfolder::CarFolder& folder) {
    auto kept = sensorsOf(folder);
    if (!kept) return failBecause("The sensors that this car folder keeps are not used.", kept.error());
    if (!kit || kept->sensors.empty()) return kit;
    auto out = std::make_shared<Kit>(*withSensors(*kit, messagesOf(*kept)));
    out->sensors = std::move(kept->sensors);
    return std::shared_ptr<const Kit>(std::move(out));
}

std::vector<can::DbcMessage> messagesOf(const KeptSensors& kept) {
    std::vector<can::DbcMessage> out;
    for (const std::string& text : kept.dbcs)
        if (auto dbc = can::readDbc(text))
            for (auto& message : dbc->messages)
                if (std::any_of(kept.sensors.begin(), kept.sensors.end(),
                                [&](const auto& sensor) { return sensor.message == message.name; }))
                    out.push_back(std::move(message));
    return out;
}

std::string sensorsText(const std::vector<drive::Sensor>& sensors) {
    return sensors.empty() ? std::string() : toJson(KeptSensors{{}, sensors});
}

void putRight(const std::vector<drive::Sensor>& now, recording::Recording& recording) {
    KeptSensors then;
    if (!recording.sensors.empty())
        if (auto told = keptSensorsFromJson(recording.sensors)) then = std::move(*told);
    for (const drive::Sensor& sensor : now) {
        if (sensor.analogue()) {
            putRightByVoltage(sensor, recording);
            continue;
        }
        auto* group = groupOf(recording, sensor);
        if (!group) continue;
        const auto* old = drive::sensorOf(then.sensors, sensor.message, sensor.name);
        const drive::Scaling before = old ? old->scaling : drive::Scaling();
        for (auto& channel : group->channels) {
            if (!lies(channel, sensor)) continue;
            channel.role = sensor.role;
            channel.unit = sensor.unit;
            const double slope = sensor.scaling.slope / before.slope;
            channel.values =
                believed(sensor, channel.values.scaled(slope, sensor.scaling.offset - slope * before.offset));
        }
    }
}

double BusEars::Heard::rate_hz() const {
    const double span_s = static_cast<double>(frame.time_us - first_us) * 1e-6;
    return count > 1 && span_s > 0 ? static_cast<double>(count - 1) / span_s : 0;
}

void BusEars::take(const can::CanFrame& frame) {
    auto& heard = heard_[{frame.extended, frame.id}];
    if (heard.count++ == 0) heard.first_us = frame.time_us;
    heard.frame = frame;
}

Result<BusEars> listen(link::CanPort& port, double seconds, const std::function<bool()>& goOn) {
    constexpr int64_t kLook_us = 50000;
    BusEars out;
    for (const int64_t until_us = port.now_us() + static_cast<int64_t>(seconds * 1e6); port.now_us() < until_us;) {
        if (goOn && !goOn()) return fail(ErrorCode::Cancelled, "Stopped as you asked.");
        const auto frame = port.receive(std::min(until_us, port.now_us() + kLook_us));
        if (!frame) return tl::unexpected(frame.error());
        if (*frame) out.take(**frame);
    }
    return out;
}

std::vector<SensorFile> sensorLibrary(storage::FileSystem& files, const std::vector<storage::Path>& folders,
                                      std::vector<std::string>& remarks) {
    std::vector<SensorFile> out;
    for (const auto& folder : folders) {
        std::vector<storage::Path> paths;
        for (const auto& entry : files.filesBelow(folder))
            if (entry.path.extension() == ".dbc") paths.push_back(entry.path);
        std::sort(paths.begin(), paths.end());
        for (const auto& path : paths) {
            const auto bytes = files.read(path);
            auto dbc = bytes ? can::readDbc(asText(*bytes)) : Result<can::Dbc>(tl::unexpected(bytes.error()));
            if (!dbc) {
                remarks.push_back(path.filename().string() + " is left out: " + dbc.error().text());
                continue;
            }
            const std::string text(asText(*bytes));
            // The same description may lie beside several profiles.
            if (std::any_of(out.begin(), out.end(), [&](const SensorFile& other) { return other.text == text; }))
                continue;
            out.push_back({path.stem().string(), text, std::move(dbc->messages)});
        }
    }
    return out;
}

std::vector<SensorOffer> sensorOffers(const BusEars& ears, const std::vector<SensorFile>& library, const Kit* kit) {
    std::vector<SensorOffer> out;
    const auto known = [&](const can::DbcMessage& message) {
        return kit && std::any_of(kit->externalSensors.begin(), kit->externalSensors.end(), [&](const auto& other) {
                   return other.id == message.id && other.extended == message.extended;
               });
    };
    for (const SensorFile& file : library)
        for (const auto& message : file.messages) {
            const auto heard = ears.heard().find({message.extended, message.id});
            if (heard == ears.heard().end() || known(message)) continue;
            for (const auto& signal : message.signalList) {
                if (!signal.raw(heard->second.frame)) continue;  // a frame too short is another's
                SensorOffer offer;
                offer.file = &file;
                offer.sensor = asItComes(message, signal);
                offer.value = message.value(signal, heard->second.frame).value_or(std::nan(""));
                offer.rate_hz = heard->second.rate_hz();
                if (!offer.sensor.role.empty()) {
                    offer.likely = "unit " + signal.unit;
                } else if (const auto like =
                               roles::likeliestChannel({signal.name, message.name, signal.comment, signal.unit})) {
                    offer.sensor.role = like->role.id();
                    offer.likely = like->likeness.reason;
                }
                out.push_back(std::move(offer));
            }
        }
    std::stable_partition(out.begin(), out.end(), [](const SensorOffer& o) { return !o.sensor.role.empty(); });
    return out;
}

std::string offerSentence(const SensorOffer& offer) {
    std::string out = offer.sensor.message + " sends " + offer.sensor.name;
    if (!std::isnan(offer.value))
        out += ": " + formatNumber(offer.value, 3) + (offer.sensor.unit.empty() ? "" : " " + offer.sensor.unit);
    if (offer.rate_hz > 0) out += ", " + formatNumber(offer.rate_hz, 0) + " times a second";
    if (const auto role = roles::Role::named(offer.sensor.role)) out += "; it looks like " + std::string(role->title());
    return out + ".";
}

}  // namespace brusk::job
