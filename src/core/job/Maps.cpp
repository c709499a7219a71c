// The folder's own definition, and what drives say of an open table's cells.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/Maps.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include "core/evidence/MapSamples.h"
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

}  // namespace

CellEvidence evidenceOf(const evidence::Drives& drives, const definition::Definition& definition,
                        const calibration::Table& table) {
    CellEvidence out;
    if (table.x.values.size() < 2) return out;
    const Watch* watch = nullptr;
    for (const Watch& w : kWatches) {
        if (w.role != table.parameter->role) continue;
        bool there = !w.channel && drives.mixture().has_value();
        for (size_t i = 0; w.channel && i < drives.size(); ++i)
            there = there || drives.recording(i).findRole(*w.channel);
        if (there) watch = &w;
    }
    using evidence::Measure;
    const auto measure = !watch                                 ? Measure::presence()
                         : watch->channel                       ? Measure::channel(*watch->channel)
                         : watch->role == roles::Role("ve_map") ? Measure::density()
                                                                : Measure::mixture();
    evidence::MapSamples samples(definition, table, drives, measure);
    if (!samples.recorded) return out;
    if (watch && !watch->channel)
        for (float& ratio : samples.value)
            ratio = (ratio - 1) * 100;
    out.cells = samples.cells();
    out.visits = samples.visits();
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
