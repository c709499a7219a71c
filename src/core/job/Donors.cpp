// Copies of a donor's files lie in the folder under its name; the list is a setting.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/Donors.h"

#include <algorithm>

#include "core/image/ImageFile.h"
#include "core/job/Keeping.h"
#include "core/job/Maps.h"

namespace brusk::job {

namespace {

constexpr const char* kSetting = "donors";  // of the folder: a list of {name, definition}
constexpr const char* kPlace = "donors";    // files below it: the image has the donor's name

storage::Path sheetOf(const storage::Path& image) {
    return image.parent_path() / (image.stem().string() + ".build-sheet.json");
}

Result<std::vector<KeptDonor>> keptIn(const carfolder::CarFolder& folder) {
    const auto text = folder.settings().get(kSetting);
    return text ? donorsFromJson(*text) : tl::unexpected(text.error());
}

}  // namespace

Result<proposals::Donor> readDonor(storage::FileSystem& files, const storage::Path& image,
                                   const storage::Path& definitionFile,
                                   std::shared_ptr<const definition::Definition> usual, uint32_t base,
                                   storage::Path sheet) {
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
    proposals::Donor out{name, calibration::Calibration(std::move(usual), std::move(*read)), {}, {}};
    const auto& definition = out.calibration.definition();
    const bool tellsItself =
        definition.softwareIdAddress && out.calibration.image().bytes(*definition.softwareIdAddress, 1).has_value();
    if (tellsItself || !definition.softwareIdAddress) {
        if (auto done = out.calibration.matchesDefinition(); !done)
            return failBecause(name + " does not fit.", done.error());
    } else {
        out.remark = name + " holds no software id, so nobody could check that this definition is its own.";
    }
    if (sheet.empty() && files.exists(sheetOf(image))) sheet = sheetOf(image);
    if (sheet.empty()) return out;
    const auto text = files.read(sheet);
    if (!text) return tl::unexpected(text.error());
    auto parts = buildSheetFromJson(std::string(asText(*text)));
    if (!parts) return failBecause("The donor's build sheet can't be used.", parts.error());
    out.sheet = std::move(*parts);
    return out;
}

Result<DonorPtr> addDonor(const Kit& kit, carfolder::CarFolder& folder, const storage::Path& image,
                          const storage::Path& definitionFile) {
    storage::FileSystem& files = folder.files();
    auto donor = readDonor(files, image, definitionFile, kit.definition);
    if (!donor) return tl::unexpected(donor.error());
    auto kept = keptIn(folder);
    if (!kept) return tl::unexpected(kept.error());
    const auto taken = [&](const std::string& name) {
        return std::any_of(kept->begin(), kept->end(), [&](const KeptDonor& other) { return other.name == name; });
    };
    // A plain binary does not say where it belongs.
    const auto format = image::formatOfName(donor->name).value_or(image::Format::Binary);
    const bool plain = format == image::Format::Binary;
    if (plain) donor->name = storage::Path(donor->name).stem().string() + ".hex";
    const storage::Path given = donor->name;
    for (int i = 2; taken(donor->name); ++i)
        donor->name = given.stem().string() + "-" + std::to_string(i) + given.extension().string();
    const storage::Path place = folder.path() / kPlace, there = place / donor->name;
    if (auto done = files.makeFolder(place); !done) return tl::unexpected(done.error());
    const auto bytes = image::writeImage(donor->calibration.image(), plain ? image::Format::IntelHex : format);
    if (!bytes) return tl::unexpected(bytes.error());
    if (auto done = files.save(there, *bytes); !done) return tl::unexpected(done.error());
    KeptDonor mine{donor->name, {}};
    if (!definitionFile.empty() && donor->calibration.definition().source) {
        mine.definition = there.stem().string() + ".a2l";
        const auto& text = donor->calibration.definition().source->text;
        if (auto done = files.save(place / mine.definition, asBytes(text)); !done) return tl::unexpected(done.error());
    }
    if (auto done = files.save(sheetOf(there), asBytes(toJson(donor->sheet))); !done)
        return tl::unexpected(done.error());
    kept->push_back(std::move(mine));
    if (auto done = folder.settings().set(kSetting, toJson(*kept)); !done) return tl::unexpected(done.error());
    return std::make_shared<const proposals::Donor>(std::move(*donor));
}

std::vector<DonorPtr> donorsOf(const Kit& kit, carfolder::CarFolder& folder, std::vector<Error>& problems) {
    std::vector<DonorPtr> out;
    const auto kept = keptIn(folder);
    if (!kept) {
        problems.push_back(kept.error());
        return out;
    }
    const storage::Path place = folder.path() / kPlace;
    for (const KeptDonor& one : *kept) {
        auto donor = readDonor(folder.files(), place / one.name,
                               one.definition.empty() ? storage::Path() : place / one.definition, kit.definition);
        if (donor)
            out.push_back(std::make_shared<const proposals::Donor>(std::move(*donor)));
        else
            problems.push_back(donor.error());
    }
    return out;
}

Result<DonorPtr> setDonorSheet(carfolder::CarFolder& folder, const DonorPtr& donor,
                               const proposals::BuildSheet& sheet) {
    if (auto done = folder.files().save(sheetOf(folder.path() / kPlace / donor->name), asBytes(toJson(sheet))); !done)
        return tl::unexpected(done.error());
    auto changed = std::make_shared<proposals::Donor>(*donor);
    changed->sheet = sheet;
    return DonorPtr(std::move(changed));
}

}  // namespace brusk::job
