// Images, definitions and calibrations from files named on the command line.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/calibration/Calibration.h"
#include "core/definition/A2lReader.h"
#include "core/image/ImageFile.h"
#include "ctl/Commands.h"

namespace brusk::ctl {

struct LoadedImage {
    image::Image image;
    image::Format format;
    std::vector<std::string> remarks = {};  ///< what is odd about the file
};
[[nodiscard]] Result<LoadedImage> loadImage(Context& context, const std::string& path, const std::string& base);
/// A definition with the files it includes.
[[nodiscard]] Result<definition::A2lContents> loadDefinition(Context& context, const std::string& path);
/// Refused when image and definition do not belong together.
[[nodiscard]] Result<calibration::Calibration> loadCalibration(Context& context, const std::string& definition,
                                                               const std::string& image, const std::string& base);

}  // namespace brusk::ctl
