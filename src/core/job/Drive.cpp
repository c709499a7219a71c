// Sets channels up, samples them, decodes, and writes rows while they come.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/Drive.h"

#include <algorithm>
#include <cmath>

#include "core/base/Text.h"
#include "core/carfolder/Schema.h"
#include "core/evidence/Learned.h"
#include "core/job/Deliver.h"
#include "core/job/DriveLoop.h"
#include "core/job/Keeping.h"

namespace brusk::job {
namespace {

/// Raw bytes of a measurement, as one unsigned number, into what a tuner reads.
/// From what the sampler delivers: the bytes as they lie in memory, the first one most significant.
float physical(const definition::Definition& definition, const definition::Measurement& m, uint32_t raw) {
    uint8_t bytes[8] = {};
    storeUnsigned(bytes, definition::sizeOf(m.type), ByteOrder::BigEndian, raw);
    return static_cast<float>(definition::physicalOf(definition, m, bytes));
}

}  // namespace

std::optional<LiveAlong> liveAlong(const ChannelSet& channels, const evidence::AxisInput& input) {
    const auto& all = channels.measurements;
    auto at = std::find_if(all.begin(), all.end(), [&](const auto* m) { return m->name == input.name; });
    if (at == all.end() && input.role)
        at = std::find_if(all.begin(), all.end(), [&](const auto* m) { return *input.role == m->role; });
    if (at == all.end()) return std::nullopt;
    const std::string unit(channels.definition->unitOf(**at));
    if (unit == input.unit || unit.empty() || input.unit.empty())
        return LiveAlong{static_cast<size_t>(at - all.begin()), {}};
    const auto shown = units::conversion(unit, input.unit);
    return shown ? std::optional(LiveAlong{static_cast<size_t>(at - all.begin()), *shown}) : std::nullopt;
}

LiveCoverage::LiveCoverage(const Kit& kit, calibration::Table map, const ChannelSet& channels)
    : map_(std::move(map)),
      x_(liveAlong(channels, evidence::axisInput(*kit.definition, map_.x))),
      y_(liveAlong(channels, evidence::axisInput(*kit.definition, map_.y))),
      seen_(map_.x.values, map_.y.values),
      atX_(std::nan("")),
      atY_(std::nan("")) {}

void LiveCoverage::row(double time_s, std::span<const float> values) {
    if (!sees()) return;
    const auto value = [&](const std::optional<LiveAlong>& along) {
        return along ? along->shown(static_cast<double>(values[along->channel])) : 0.0;
    };
    const double x = value(x_), y = value(y_);
    if (std::isnan(x) || std::isnan(y)) return;
    const std::scoped_lock lock(mutex_);
    seen_.add(time_s, x, y);
    atX_ = x, atY_ = y;
}

LiveCoverage::Now LiveCoverage::now() const {
    const std::scoped_lock lock(mutex_);
    return {seen_.seconds(), atX_, atY_};
}

DriveRecorder::DriveRecorder(link::Uds& uds, const Kit& kit, ChannelSet channels)
    : uds_(uds),
      kit_(kit),
      channels_(std::move(channels)),
      sampler_(uds, channels_.places, channels_.plan),
      classes_(classesOf(kit, channels_)),
      row_(channels_.measurements.size()),
      external_(kit),
      analogue_(kit, channels_) {}

ExternalRows::ExternalRows(const std::vector<can::DbcMessage>& messages, std::vector<drive::Sensor> sensors)
    : sensors_(std::move(sensors)) {
    // A message may have no signals; it then has nothing to say.
    for (const auto& message : messages)
        if (!message.signalList.empty()) messages_.push_back(message);
    for (const auto& message : messages_) {
        rows_.emplace_back(message.signalList.size(), std::nanf(""));
        auto& scalings = scalings_.emplace_back();
        for (const auto& signal : message.signalList) {
            const auto* sensor = drive::sensorOf(sensors_, message.name, signal.name);
            scalings.push_back(sensor ? sensor->scaling : drive::Scaling());
        }
    }
}

void ExternalRows::addTo(recording::Recording& layout) const {
    for (const auto& message : messages_) {
        auto& group = layout.groups.emplace_back();
        group.name = message.name;
        group.rate_hz = 100;
        for (const auto& signal : message.signalList) {
            const auto* sensor = drive::sensorOf(sensors_, message.name, signal.name);
            group.channels.push_back({signal.name,
                                      sensor ? sensor->unit : signal.unit,
                                      message.name + " " + signal.name,
                                      sensor ? sensor->role : roleOfSignal(message, signal),
                                      {}});
        }
    }
}

std::optional<size_t> ExternalRows::take(const link::CanFrame& frame) {
    for (size_t m = 0; m < messages_.size(); ++m) {
        const auto& message = messages_[m];
        if (message.id != frame.id || message.extended != frame.extended) continue;
        for (size_t i = 0; i < rows_[m].size(); ++i)
            if (const auto value = message.value(message.signalList[i], frame))
                rows_[m][i] = static_cast<float>(scalings_[m][i].at(*value));
        return m;
    }
    return std::nullopt;
}

AnalogueRows::AnalogueRows(const Kit& kit, const ChannelSet& channels) {
    const auto classes = classesOf(kit, channels);
    for (const auto& sensor : kit.sensors) {
        if (!sensor.analogue()) continue;
        const auto at = std::find_if(channels.measurements.begin(), channels.measurements.end(),
                                     [&](const auto* m) { return m->name == sensor.channel; });
        if (at == channels.measurements.end()) continue;
        const auto i = static_cast<size_t>(at - channels.measurements.begin());
        size_t of = 0;
        while (i >= classes[of].first + classes[of].size)
            ++of;
        inputs_.push_back({sensor, classes[of].rate_hz, of, i - classes[of].first});
    }
}

void AnalogueRows::addTo(recording::Recording& layout) const {
    for (const auto& [sensor, rate_hz, of, column] : inputs_) {
        auto& group = layout.groups.emplace_back();
        group.name = sensor.group();
        group.rate_hz = rate_hz;
        group.channels.push_back({sensor.name, sensor.unit, sensor.title, sensor.role, {}});
    }
}

recording::Recording DriveRecorder::layout() const {
    auto out = layoutOf(kit_, channels_);
    addLearned(kit_, out);
    return out;
}

std::optional<std::vector<float>> DriveRecorder::learned() {
    std::vector<float> out;
    if (!uds_.startSession(uds_.profile().sessionExtended)) return std::nullopt;
    for (const auto* m : learnedChannels(*kit_.definition)) {
        const auto bytes = uds_.readMemory(m->address, static_cast<uint16_t>(definition::sizeOf(m->type)));
        if (!bytes) return std::nullopt;
        out.push_back(static_cast<float>(definition::physicalOf(*kit_.definition, *m, bytes->data())));
    }
    return out.empty() ? std::nullopt : std::optional(std::move(out));
}

Done DriveRecorder::start() {
    if (auto done = sampler_.start(); !done) return done;
    if (!begun_us_) begun_us_ = uds_.port().now_us();
    return {};
}

Done DriveRecorder::poll(int64_t deadline_us, const OnRow& onRow) {
    const auto since_s = [&](int64_t time_us) { return static_cast<double>(time_us - *begun_us_) * 1e-6; };
    return sampler_.poll(
        deadline_us,
        [&](const link::SampleRow& row) {
            size_t of = 0;
            while (classes_[of].pace != row.pace)
                ++of;
            const ChannelClass& own = classes_[of];
            const std::span<float> values = std::span(row_).subspan(own.first, own.size);
            for (size_t i = 0; i < own.size; ++i) {
                const size_t at = own.first + i;
                values[i] = row.present[at] ? physical(*kit_.definition, *channels_.measurements[at], row.raw[at])
                                            : std::nanf("");
            }
            onRow(of, since_s(row.time_us), values);
            for (size_t i = 0; i < analogue_.size(); ++i) {
                if (analogue_.classOf(i) != of) continue;
                const float value = analogue_.value(i, values);
                onRow(classes_.size() + external_.size() + i, since_s(row.time_us), std::span(&value, 1));
            }
        },
        [&](const link::CanFrame& frame) {
            if (const auto e = external_.take(frame))
                onRow(classes_.size() + *e, since_s(frame.time_us), external_.row(*e));
        });
}

Done DriveRecorder::stop() {
    return sampler_.stop();
}

Done DriveRecorder::askForCodes(OnCodes onCodes) {
    return sampler_.ask(link::kTroubleCodesRequest, [onCodes = std::move(onCodes)](ByteSpan answer) {
        const auto codes = link::troubleCodesIn(answer);
        if (!codes) return;
        std::vector<SeenCode> out;
        for (const auto& code : *codes)
            out.push_back({code.name(), code.confirmed()});
        onCodes(out);
    });
}

namespace {

std::string textOf(const auto& areas) {
    std::string out;
    for (const auto& [name, sha] : areas)
        if (!name.starts_with(carfolder::kSectorName))
            out.append(out.empty() ? "" : " ").append(name).append("=").append(sha);
    return out;
}

/// Of the round's image, named once an image.
Result<std::string> areasText(const Kit& kit, carfolder::CarFolder& folder, int64_t round) {
    auto areas = folder.rounds().areas(round);
    if (!areas) return tl::unexpected(areas.error());
    if (areas->empty()) {
        if (auto done = folder.rounds().nameAreas(round, namedAreas(kit)); !done) return tl::unexpected(done.error());
        areas = folder.rounds().areas(round);
        if (!areas) return tl::unexpected(areas.error());
    }
    return textOf(*areas);
}

}  // namespace

std::vector<carfolder::NamedArea> namedAreas(const Kit& kit) {
    std::vector<carfolder::NamedArea> out;
    out.reserve(kit.profile.areas.size());
    for (const auto& area : kit.profile.areas)
        out.push_back({area.calibration ? "calibration" : "application", area.start, area.length});
    return out;
}

std::string areasText(const Kit& kit, const image::Image& image) {
    return textOf(carfolder::areaShas(image, namedAreas(kit)));
}

Bound boundTo(const Kit& kit, const image::Image& image, const recording::Recording& recording) {
    if (recording.imageSha256.empty()) return Bound::Untold;
    if (recording.imageSha256 == carfolder::imageFingerprint(image)) return Bound::Same;
    // A calibration alone is enough to tell by, when the recording names its own.
    const auto shas = carfolder::areaShas(image, namedAreas(kit));
    const auto held = shas.find("calibration");
    constexpr std::string_view kKey = "calibration=";
    const size_t at = recording.areas.find(kKey);
    if (held == shas.end() || at == std::string::npos) return held == shas.end() ? Bound::Untold : Bound::Other;
    return recording.areas.compare(at + kKey.size(), held->second.size(), held->second) == 0 ? Bound::Same
                                                                                             : Bound::Other;
}

const char* gapCauseName(GapCause cause) {
    constexpr const char* names[] = {"frames", "cable", "silent", "stopped", "disk", "asleep"};
    return names[static_cast<int>(cause)];
}

std::string gapSentence(double seconds, GapCause cause) {
    constexpr const char* why[] = {"frames were lost",
                                   "the cable was out",
                                   "the controller did not answer",
                                   "the controller had stopped sending",
                                   "the disk took nothing",
                                   "this computer slept"};
    return formatNumber(seconds, seconds < 10 ? 2 : 0) + " s missing: " + why[static_cast<int>(cause)];
}

std::string gapsText(int gaps) {
    return gaps == 0 ? "no gaps" : gaps == 1 ? "1 gap" : std::to_string(gaps) + " gaps";
}

const char* endedName(Ended ended) {
    constexpr const char* names[] = {"asked", "seconds", "signal", "link", "disk"};
    return names[static_cast<int>(ended)];
}

Result<DriveOutcome> recordDrive(link::Uds& uds, const Kit& kit, carfolder::CarFolder& folder,
                                 const ChannelSet& channels, const DriveOptions& options) {
    if (!folder.mayWrite()) return fail(ErrorCode::Refused, "The drive can't be recorded: " + folder.whyNot());
    const auto contents = folder.memory().contents(kit.profile.sectors());
    if (!contents) return tl::unexpected(contents.error());
    if (!contents->round)
        return fail(ErrorCode::Refused,
                    "What the car runs is not known, so a recording could not be tied to a round. Read the controller "
                    "or finish the flash first.");
    const auto round = folder.rounds().byId(*contents->round);
    if (!round) return tl::unexpected(round.error());
    if (auto may = mayBeDone(*round, deliver::May::Record); !may) return tl::unexpected(may.error());
    auto areas = areasText(kit, folder, round->id);
    if (!areas) return tl::unexpected(areas.error());

    DriveRecorder recorder(uds, kit, channels);
    recording::Recording layout = recorder.layout();
    layout.imageSha256 = round->imageSha256;
    layout.areas = std::move(*areas);
    layout.definitionSha256 = definitionSha(kit);
    layout.channelsSha256 = channelsSha(channels);
    return recordSource(recorder, folder, std::move(layout), *round, options);
}

Result<DriveOutcome> recordFile(link::Uds& uds, const Kit& kit, storage::FileSystem& files, const storage::Path& file,
                                const ChannelSet& channels, const DriveOptions& options) {
    DriveRecorder recorder(uds, kit, channels);
    recording::Recording layout = recorder.layout();
    layout.definitionSha256 = definitionSha(kit);
    layout.channelsSha256 = channelsSha(channels);
    return recordSource(recorder, files, file, std::move(layout), options);
}

Result<DriveOutcome> recordSource(DriveSource& source, storage::FileSystem& files, const storage::Path& file,
                                  recording::Recording layout, const DriveOptions& options,
                                  const std::function<Done(DriveOutcome&)>& entered) {
    auto watch = DriveWatch::compile(layout, options);
    if (!watch) return tl::unexpected(watch.error());
    layout.title = options.title;
    if (layout.startedAt.empty()) layout.startedAt = carfolder::utcNow();
    auto writer = recording::Mdf4Writer::create(files, file, layout);
    if (!writer) return tl::unexpected(writer.error());
    DriveOutcome out;
    out.file = file;
    out.entry.title = options.title;
    out.entry.startedAt = layout.startedAt;
    if (entered)
        if (auto done = entered(out); !done) {
            // Without its entry nobody would find it; and nothing is in it yet.
            writer->reset();
            (void)files.remove(file);
            return tl::unexpected(done.error());
        }
    if (options.onBegun) options.onBegun(file);
    DriveLoop(source, layout, std::move(*watch), options, out).run(std::move(*writer));
    return out;
}

Result<DriveOutcome> recordSource(DriveSource& source, carfolder::CarFolder& folder, recording::Recording layout,
                                  std::optional<carfolder::Round> round, const DriveOptions& options) {
    layout.startedAt = carfolder::utcNow();
    if (round) layout.roundId = std::to_string(round->number);
    if (layout.vin.empty())
        if (const auto told = folder.settings().get("identity"); told && !told->empty())
            if (const auto identity = identityFromJson(*told); identity && identity->values.count("vin"))
                layout.vin = identity->values.at("vin");
    std::string stamp = layout.startedAt;
    std::erase_if(stamp, [](char c) { return c == ':' || c == '-'; });
    const auto file = folder.files().freeName(
        folder.recordings().path(""), (round ? "round" + layout.roundId : std::string("drive")) + "-" + stamp, ".mf4");
    const auto entered = [&](DriveOutcome& out) -> Done {
        if (round) out.entry.round = round->id;
        out.entry.file = file.filename().string();
        out.entry.state = carfolder::RecordingState::Open;
        out.entry.imageSha256 = layout.imageSha256;
        out.entry.definitionSha256 = layout.definitionSha256;
        out.entry.channelsSha256 = layout.channelsSha256;
        out.entry.conditions = options.conditions;
        auto entry = folder.recordings().add(out.entry);
        if (!entry) return tl::unexpected(entry.error());
        out.entry = *entry;
        return {};
    };
    auto out = recordSource(source, folder.files(), file, layout, options, entered);
    if (!out) return out;
    if (auto done = folder.recordings().ended(out->entry); !done && !out->problem) out->problem = done.error();
    return out;
}

}  // namespace brusk::job
