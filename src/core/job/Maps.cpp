// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/Maps.h"

#include <cmath>

#include "core/evidence/Cells.h"
#include "core/image/ImageFile.h"
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

Result<calibration::Calibration> readDonor(storage::FileSystem& files, const storage::Path& image,
                                           const storage::Path& definitionFile,
                                           std::shared_ptr<const definition::Definition> usual, uint32_t base) {
    if (!definitionFile.empty()) {
        auto contents = readDefinition(files, definitionFile);
        if (!contents) return tl::unexpected(contents.error());
        usual = std::make_shared<const definition::Definition>(std::move(contents->definition));
    }
    if (!usual) return fail(ErrorCode::NotFound, "There is no definition to see the donor through.");
    const auto bytes = files.read(image);
    if (!bytes) return tl::unexpected(bytes.error());
    const std::string name = image.filename().string();
    auto read = image::readImage(*bytes, image::formatOfName(name).value_or(image::formatOfBytes(*bytes)), base);
    if (!read) return failBecause(name + " can't be read.", read.error());
    calibration::Calibration out(std::move(usual), std::move(*read));
    if (auto done = out.matchesDefinition(); !done) return failBecause(name + " does not fit.", done.error());
    return out;
}

Result<std::vector<std::shared_ptr<const recording::Recording>>> recordingsFor(carfolder::CarFolder& folder,
                                                                               int64_t round) {
    std::vector<std::shared_ptr<const recording::Recording>> out;
    for (std::optional<int64_t> at = round; at && out.empty();) {
        for (const auto& entry : folder.recordings(*at)) {
            auto recording = loadRecording(folder, entry);
            if (!recording) return tl::unexpected(recording.error());
            out.push_back(std::move(*recording));
        }
        const auto here = folder.round(*at);
        if (!here) return tl::unexpected(here.error());
        at = here->parent;
    }
    return out;
}

std::vector<uint32_t> samplesInCells(const std::vector<std::shared_ptr<const recording::Recording>>& recordings,
                                     const calibration::Table& table) {
    std::vector<uint32_t> counts;
    if (table.x.values.size() < 2) return counts;
    const evidence::AxisLookup x(table.x.values), y(table.y.values);
    const bool map = table.y.values.size() > 1;
    for (const auto& recording : recordings) {
        const auto across = recording->find(table.x.input);
        const auto down = map ? recording->find(table.y.input) : recording::Recording::Place{};
        if (!across || (map && !down)) continue;
        counts.resize(table.values.size());
        // Both on the clock of the first; the newest sample of the other counts.
        const auto& times = across.group->time_s;
        size_t other = 0;
        for (size_t i = 0; i < times.size(); ++i) {
            if (map)
                while (other + 1 < down.group->time_s.size() && down.group->time_s[other + 1] <= times[i])
                    ++other;
            const float a = across.channel->values[i], b = map ? down.channel->values[other] : 0.0f;
            if (std::isnan(a) || std::isnan(b)) continue;
            ++counts[(map ? y.nearest(b) : 0) * table.columns + x.nearest(a)];
        }
    }
    return counts;
}

Result<std::shared_ptr<const Kit>> withOwnDefinition(std::shared_ptr<const Kit> kit, carfolder::CarFolder& folder) {
    const std::string name = folder.setting(kSetting);
    if (name.empty() || !kit) return kit;
    const storage::Path path = folder.path() / kPlace / name;
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
    if (auto done = folder.setSetting(kSetting, name); !done) return tl::unexpected(done.error());
    return withOwnDefinition(kit, folder);
}

}  // namespace brusk::job
