// Arguments to images, definitions and recordings.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "ctl/Loading.h"

#include "core/base/Text.h"
#include "core/job/Maps.h"

namespace brusk::ctl {
namespace {

Result<uint32_t> baseAddress(const std::string& text) {
    if (text.empty()) return 0u;
    const auto value = parseUnsigned(text);
    if (!value || *value > 0xFFFFFFFF)
        return fail(ErrorCode::BadInput, "The base address \"" + text + "\" is not a number of up to 32 bits.");
    return static_cast<uint32_t>(*value);
}

}  // namespace

Result<LoadedImage> loadImage(Context& c, const std::string& path, const std::string& base) {
    const auto bytes = c.files.read(path);
    if (!bytes) return tl::unexpected(bytes.error());
    const auto address = baseAddress(base);
    if (!address) return tl::unexpected(address.error());
    const auto format = image::formatOfName(path).value_or(image::formatOfBytes(*bytes));
    std::vector<std::string> remarks;
    auto image = image::readImage(*bytes, format, *address, &remarks);
    if (!image)
        return failBecause(path + " can't be read as " + std::string(image::formatName(format)) + ".", image.error());
    return LoadedImage{std::move(*image), format, std::move(remarks)};
}

Result<definition::A2lContents> loadDefinition(Context& c, const std::string& path) {
    return job::readDefinition(c.files, path);
}

Result<calibration::Calibration> loadCalibration(Context& c, const std::string& definition,
                                                 const std::string& imagePath, const std::string& base) {
    auto contents = loadDefinition(c, definition);
    if (!contents) return failBecause(definition + " can't be used.", contents.error());
    auto image = loadImage(c, imagePath, base);
    if (!image) return tl::unexpected(image.error());
    calibration::Calibration out(std::make_shared<const definition::Definition>(std::move(contents->definition)),
                                 std::move(image->image));
    if (auto done = out.matchesDefinition(); !done) return tl::unexpected(done.error());
    return out;
}

}  // namespace brusk::ctl
