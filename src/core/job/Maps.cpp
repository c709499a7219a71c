// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/Maps.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include "core/evidence/Cells.h"
#include "core/evidence/Sampled.h"
#include "core/job/Correct.h"

namespace brusk::job {

namespace {
constexpr const char* kSetting = "definition";  // of the folder: the file below definitions/ it uses
constexpr const char* kPlace = "definitions";
}  // namespace

Result<definition::A2lContents> readDefinition(storage::FileSystem& files, const storage::Path& path) {
    const auto text = files.read(path);
    if (!text) return tl::unexpected(text.error());
    auto contents =
        definition::readA2l(std::string(asText(*text)), [&](const std::string& name) -> Result<std::string> {
            // Only what lies beside the definition or below: a file from a stranger names no other place.
            const storage::Path part = storage::Path(name).lexically_normal();
            if (part.is_absolute() || part.string().starts_with(".."))
                return fail(ErrorCode::Refused, "it does not lie beside the definition");
            const auto bytes = files.read(path.parent_path() / part);
            if (!bytes) return tl::unexpected(bytes.error());
            return std::string(asText(*bytes));
        });
    if (!contents) return failBecause(path.filename().string() + " can't be used.", contents.error());
    return contents;
}

Result<Driven> drivenOn(carfolder::CarFolder& folder, int64_t round) {
    Driven out;
    for (std::optional<int64_t> at = round; at && out.recordings.empty();) {
        auto driven = recordingsOf(folder, *at);
        if (!driven) return tl::unexpected(driven.error());
        out.recordings = std::move(driven->recordings);
        out.leftOut.insert(out.leftOut.end(), driven->leftOut.begin(), driven->leftOut.end());
        const auto here = folder.rounds().byId(*at);
        if (!here) return tl::unexpected(here.error());
        at = here->parent;
    }
    std::vector<const recording::Recording*> all;
    for (const auto& recording : out.recordings)
        all.push_back(recording.get());
    // Without a wideband there are no ratios; the samples can be counted all the same.
    if (auto air = evidence::airSamples(all, {}); air && !all.empty())
        out.air = std::make_shared<const evidence::AirSamples>(std::move(*air));
    return out;
}

namespace {

/// What is watched in the cells of a parameter, by its role.
struct Watch {
    roles::Role role;
    std::optional<roles::Role> channel;  ///< what is watched; empty: the air ratio
    const char* title;
    const char* unit;
    double wide;  ///< a spread that says nothing any more
};
constexpr Watch kWatches[] = {
    {"ve_map", {}, "fuel off", "%", 5},
    {"meter_curve", {}, "fuel off", "%", 5},
    {"lambda_map", {}, "fuel off", "%", 5},
    {"spark_map", roles::Role("knock_retard"), "knock retard", "\u00b0", 2},
    {"spark_octane", roles::Role("knock_retard"), "knock retard", "\u00b0", 2},
    {"spark_charge", roles::Role("knock_retard"), "knock retard", "\u00b0", 2},
    {"boost_target", roles::Role("boost_error"), "boost missing", "kPa", 10},
    {"wastegate_duty", roles::Role("boost_error"), "boost missing", "kPa", 10},
    {"expected_pressure", roles::Role("pressure_deviation"), "pressure deviation", "kPa", 10},
    {"plaus_pressure", roles::Role("pressure_deviation"), "pressure deviation", "kPa", 10},
};

/// Reads a channel at rising times; the newest sample counts, NaN before the first.
class Follower {
  public:
    Follower() = default;
    explicit Follower(const recording::Recording::Place& place, units::Shown shown = {})
        : place_(place), shown_(std::move(shown)) {}
    float at(double time_s) {
        if (!place_) return std::numeric_limits<float>::quiet_NaN();
        const auto& times = place_.group->time_s;
        while (next_ < times.size() && times[next_] <= time_s)
            ++next_;
        return next_ ? value(next_ - 1) : std::numeric_limits<float>::quiet_NaN();
    }

    float value(size_t i) const {
        const float recorded = place_.channel->values[i];
        return shown_.same() ? recorded : static_cast<float>(shown_(static_cast<double>(recorded)));
    }

  private:
    recording::Recording::Place place_;
    units::Shown shown_;
    size_t next_ = 0;  ///< the first sample that is later
};

/// The channel that moves along an axis, in the axis' own unit.
Follower along(const recording::Recording::Place& place, const calibration::AxisValues& axis) {
    if (!place) return {};
    return Follower(place, units::conversion(place.channel->unit, axis.unit).value_or(units::Shown{}));
}

/// What falls into the cells: positions along the axes and the watched value, sample by sample.
struct Falling {
    std::vector<float> x, y, value;
    void add(float across, float down, float watched) {
        if (std::isnan(across) || std::isnan(down) || std::isnan(watched)) return;
        x.push_back(across), y.push_back(down), value.push_back(watched);
    }
};

}  // namespace

CellEvidence evidenceOf(const Driven& driven, const calibration::Table& table) {
    CellEvidence out;
    if (table.x.values.size() < 2) return out;
    const bool map = table.y.values.size() > 1;
    const Watch* watch = nullptr;
    for (const Watch& w : kWatches)
        if (w.role == table.parameter->role && (w.channel || driven.air)) watch = &w;
    if (watch && watch->channel &&
        std::none_of(driven.recordings.begin(), driven.recordings.end(),
                     [&](const auto& recording) { return recording->findRole(*watch->channel); }))
        watch = nullptr;
    Falling falling;
    bool recorded = false;
    for (size_t r = 0; r < driven.recordings.size(); ++r) {
        const auto& recording = *driven.recordings[r];
        const auto across = recording.find(table.x.input);
        const auto down = map ? recording.find(table.y.input) : recording::Recording::Place{};
        if (!across || (map && !down)) continue;
        recorded = true;
        Follower y = along(down, table.y), x = along(across, table.x);
        const auto downAt = [&](double t) { return map ? y.at(t) : 0.0f; };
        if (watch && !watch->channel) {
            const auto& air = *driven.air;
            for (size_t i = 0; i < air.size(); ++i)
                if (air.source[i] == r)
                    falling.add(x.at(air.time_s[i]), downAt(air.time_s[i]), (air.ratio[i] - 1) * 100);
            continue;
        }
        Follower value;
        if (watch) {
            const auto place = recording.findRole(*watch->channel);
            value = Follower(place,
                             place ? evidence::intoRole(place.channel->unit, *watch->channel).value_or(units::Shown{})
                                   : units::Shown{});
        }
        // On the clock of the first axis.
        const auto& times = across.group->time_s;
        for (size_t i = 0; i < times.size(); ++i)
            falling.add(x.value(i), downAt(times[i]), watch ? value.at(times[i]) : 0.0f);
    }
    if (!recorded) return out;
    out.cells = evidence::cellStatistics(evidence::AxisLookup(table.x.values), evidence::AxisLookup(table.y.values),
                                         falling.x, falling.y, falling.value);
    if (watch) out.watched = watch->title, out.unit = watch->unit, out.wide = watch->wide;
    return out;
}

Result<std::shared_ptr<const Kit>> withOwnDefinition(std::shared_ptr<const Kit> kit, carfolder::CarFolder& folder) {
    const auto name = folder.settings().get(kSetting);
    if (!name) return tl::unexpected(name.error());
    if (name->empty() || !kit) return kit;
    const storage::Path path = folder.path() / kPlace / *name;
    auto contents = readDefinition(folder.files(), path);
    if (!contents) return failBecause("The definition that this car folder keeps is not used.", contents.error());
    auto own = std::make_shared<Kit>(*kit);
    own->definition = std::make_shared<const definition::Definition>(std::move(contents->definition));
    own->definitionFile = path.string();
    return std::shared_ptr<const Kit>(std::move(own));
}

Result<std::shared_ptr<const Kit>> keepOwnDefinition(const std::shared_ptr<const Kit>& kit,
                                                     carfolder::CarFolder& folder, const std::string& text) {
    storage::FileSystem& files = folder.files();
    const storage::Path place = folder.path() / kPlace;
    if (auto done = files.makeFolder(place); !done) return tl::unexpected(done.error());
    // "aldine-e2.a2l" is what it came from, "aldine-e2.edit-3.a2l" the third edited one.
    std::string stem = storage::Path(kit->definitionFile).stem().string();
    const size_t edit = stem.find(".edit-");
    stem = stem.substr(0, edit);
    const storage::Path original = place / (stem + ".a2l");
    if (edit == std::string::npos && !files.exists(original) && kit->definition->source)
        if (auto done = files.save(original, asBytes(kit->definition->source->text)); !done)
            return tl::unexpected(done.error());
    std::string name;
    for (int i = 1; name.empty() || files.exists(place / name); ++i)
        name = stem + ".edit-" + std::to_string(i) + ".a2l";
    if (auto done = files.save(place / name, asBytes(text)); !done) return tl::unexpected(done.error());
    if (auto done = folder.settings().set(kSetting, name); !done) return tl::unexpected(done.error());
    return withOwnDefinition(kit, folder);
}

}  // namespace brusk::job
