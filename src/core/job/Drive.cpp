// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/Drive.h"

#include <algorithm>
#include <chrono>
#include <cmath>

#include "core/recording/Mdf4.h"

namespace brusk::job {
namespace {

constexpr int64_t kSlice_us = 20000;
const char* const kFuelRoles[] = {"engine_speed", "manifold_pressure", "throttle", "coolant", "lambda_asked",
                                  "short_trim",   "long_trim",         "airflow",  "fuel_cut"};

const char* const kUsualRoles[] = {"pedal",
                                   "intake_temperature",
                                   "charge_temperature",
                                   "battery",
                                   "barometric_pressure",
                                   "meter_airflow",
                                   "air_per_cylinder",
                                   "injector_pulse",
                                   "injector_duty",
                                   "narrowband",
                                   "loop_state",
                                   "short_trim_2",
                                   "long_trim_2",
                                   "spark",
                                   "knock_retard",
                                   "octane_factor",
                                   "boost_target_now",
                                   "wastegate_duty_now",
                                   "boost_i_part",
                                   "exhaust_temperature",
                                   "torque_request",
                                   "torque_actual",
                                   "idle_active",
                                   "idle_target",
                                   "idle_integral",
                                   "idle_learned",
                                   "vehicle_speed",
                                   "gear",
                                   "engine_state",
                                   "limp_mode"};

/// Raw bytes of a measurement, as one unsigned number, into what a tuner reads.
float physical(const definition::Definition& definition, const definition::Measurement& m, uint32_t raw) {
    uint8_t bytes[8] = {};
    const size_t size = definition::sizeOf(m.type);
    // The sampler delivers the bytes as they lie in memory, most significant first.
    storeUnsigned(bytes, size, ByteOrder::BigEndian, raw);
    double value = definition::loadRaw(bytes, m.type, definition.byteOrder);
    if (m.bitMask) {
        uint64_t masked = static_cast<uint64_t>(value) & m.bitMask;
        for (uint64_t mask = m.bitMask; !(mask & 1); mask >>= 1)
            masked >>= 1;
        value = static_cast<double>(masked);
    }
    return static_cast<float>(definition.conversionOf(m).toPhysical(value));
}

int64_t wall_us() {
    return std::chrono::duration_cast<std::chrono::microseconds>(std::chrono::steady_clock::now().time_since_epoch())
        .count();
}

}  // namespace

std::vector<std::string> usualChannels(const definition::Definition& definition) {
    std::vector<std::string> out;
    const auto add = [&](const char* role) {
        if (const auto* m = definition.measurementWithRole(role)) out.push_back(m->name);
    };
    for (const char* role : kFuelRoles)
        add(role);
    for (const char* role : kUsualRoles)
        add(role);
    return out;
}

std::vector<std::string> channelsWithRole(const definition::Definition& definition) {
    std::vector<std::string> out;
    for (const auto& m : definition.measurements)
        if (!m.role.empty()) out.push_back(m.name);
    return out;
}

Result<ChannelSet> channelSet(const Kit& kit, const std::vector<std::string>& names) {
    ChannelSet set;
    const auto add = [&](const definition::Measurement* m) {
        if (std::find(set.measurements.begin(), set.measurements.end(), m) == set.measurements.end())
            set.measurements.push_back(m);
    };
    for (const char* role : kFuelRoles)
        if (const auto* m = kit.definition->measurementWithRole(role)) add(m);
    for (const std::string& name : names) {
        const auto* m = kit.definition->measurement(name);
        if (!m) return fail(ErrorCode::NotFound, "The definition has no measurement " + name + ".");
        add(m);
    }
    for (const auto* m : set.measurements)
        set.places.push_back({m->address, static_cast<uint8_t>(definition::sizeOf(m->type))});
    auto plan = link::planSampling(kit.profile, set.places);
    if (!plan) return tl::unexpected(plan.error());
    set.plan = std::move(*plan);
    set.rate_hz = 1e6 / static_cast<double>(kit.profile.fastPeriod_us);
    return set;
}

DriveRecorder::DriveRecorder(link::Uds& uds, const Kit& kit, ChannelSet channels)
    : uds_(uds),
      kit_(kit),
      channels_(std::move(channels)),
      sampler_(uds, channels_.places, channels_.plan),
      row_(channels_.measurements.size()) {
    size_t signals = 0;
    for (const auto& message : kit.externalSensors)
        signals += message.signalList.size();
    external_.assign(signals, std::nanf(""));
}

recording::Recording DriveRecorder::layout() const {
    recording::Recording out;
    recording::Group& controller = out.groups.emplace_back();
    controller.name = kit_.profile.controller;
    controller.rate_hz = channels_.rate_hz;
    for (const auto* m : channels_.measurements)
        controller.channels.push_back({m->name, kit_.definition->conversionOf(*m).unit, m->title(), m->role, {}});
    if (external_.empty()) return out;
    recording::Group& external = out.groups.emplace_back();
    external.rate_hz = 100;
    for (const auto& message : kit_.externalSensors) {
        external.name = message.name;
        for (const auto& signal : message.signalList)
            external.channels.push_back({signal.name,
                                         signal.unit,
                                         message.name + " " + signal.name,
                                         signal.unit == "lambda" ? "lambda_measured" : "",
                                         {}});
    }
    return out;
}

Done DriveRecorder::start() {
    if (auto done = sampler_.start(); !done) return done;
    begun_us_ = uds_.port().now_us();
    return {};
}

Done DriveRecorder::poll(int64_t deadline_us, const OnRow& onRow, const OnRow& onExternal) {
    return sampler_.poll(
        deadline_us,
        [&](const link::SampleRow& row) {
            for (size_t i = 0; i < row_.size(); ++i)
                row_[i] =
                    row.present[i] ? physical(*kit_.definition, *channels_.measurements[i], row.raw[i]) : std::nanf("");
            onRow(static_cast<double>(row.time_us - begun_us_) * 1e-6, row_);
        },
        [&](const link::CanFrame& frame) {
            size_t at = 0;
            for (const auto& message : kit_.externalSensors) {
                const bool mine = message.id == frame.id && message.extended == frame.extended;
                for (const auto& signal : message.signalList) {
                    if (mine) external_[at] = static_cast<float>(signal.decode(frame));
                    ++at;
                }
                if (mine) onExternal(static_cast<double>(frame.time_us - begun_us_) * 1e-6, external_);
            }
        });
}

Done DriveRecorder::stop() {
    return sampler_.stop();
}

namespace {

/// A name that no recording of the folder has yet: time of day and a number.
std::string freeFileName(carfolder::CarFolder& folder, int round) {
    std::string stamp = carfolder::utcNow();
    std::erase_if(stamp, [](char c) { return c == ':' || c == '-'; });
    for (int n = 1;; ++n) {
        std::string name =
            "round" + std::to_string(round) + "-" + stamp + (n > 1 ? "-" + std::to_string(n) : "") + ".mf4";
        if (!folder.files().exists(folder.recordingPath(name))) return name;
    }
}

}  // namespace

Result<DriveOutcome> recordDrive(link::Uds& uds, const Kit& kit, carfolder::CarFolder& folder,
                                 const ChannelSet& channels, const DriveOptions& options) {
    const auto contents = folder.contents(kit.profile.sectors());
    if (!contents.round)
        return fail(ErrorCode::Refused,
                    "What the car runs is not known, so a recording could not be tied to a round. Read the controller "
                    "or finish the flash first.");
    const auto round = folder.round(*contents.round);
    if (!round) return tl::unexpected(round.error());

    DriveRecorder recorder(uds, kit, channels);
    recording::Recording layout = recorder.layout();
    layout.title = options.title;
    layout.startedAt = carfolder::utcNow();
    layout.roundId = std::to_string(round->number);
    layout.imageSha256 = round->imageSha256;
    DriveOutcome out;
    out.entry.round = round->id;
    out.entry.file = freeFileName(folder, round->number);
    out.entry.title = options.title;
    out.entry.startedAt = layout.startedAt;
    auto writer = recording::Mdf4Writer::create(folder.files(), folder.recordingPath(out.entry.file), layout);
    if (!writer) return tl::unexpected(writer.error());

    LiveRow live;
    live.external.assign(layout.groups.size() > 1 ? layout.groups[1].channels.size() : 0, std::nanf(""));
    int64_t lastLive_us = 0;
    double last_s = 0;
    const double gap_s = 3 / channels.rate_hz;
    const auto onRow = [&](double time_s, const std::vector<float>& values) {
        (*writer)->append(0, time_s, values);
        if (time_s - last_s > gap_s && last_s > 0) ++out.entry.gaps;
        last_s = time_s;
        if (!options.onLive) return;
        const int64_t now = wall_us();
        if (options.throttle && now - lastLive_us < 1000000 / 30) return;
        lastLive_us = now;
        live.time_s = time_s;
        live.values = values;
        options.onLive(live);
    };
    const auto onExternal = [&](double time_s, const std::vector<float>& values) {
        if (layout.groups.size() > 1) (*writer)->append(1, time_s, values);
        live.external = values;
    };
    const auto note = [&](Done done) {
        if (!done && !out.problem) out.problem = done.error();
        return done.has_value();
    };
    link::CanPort& port = uds.port();
    bool running = note(recorder.start());
    const int64_t begun_us = port.now_us();
    int64_t flushAt_us = begun_us + options.flushEvery_us;
    while (running && options.goOn(static_cast<double>(port.now_us() - begun_us) * 1e-6)) {
        running = note(recorder.poll(port.now_us() + kSlice_us, onRow, onExternal));
        if (port.now_us() >= flushAt_us) {
            flushAt_us = port.now_us() + options.flushEvery_us;
            running = note((*writer)->flush()) && running;
        }
    }
    if (running) note(recorder.stop());
    note((*writer)->finish());
    out.entry.duration_s = last_s;
    out.entry.samples = static_cast<int64_t>((*writer)->rows(0));
    auto entry = folder.addRecording(out.entry);
    if (!entry) return tl::unexpected(entry.error());
    out.entry = *entry;
    return out;
}

}  // namespace brusk::job
