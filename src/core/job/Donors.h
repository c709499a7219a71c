// Donors: other cars' calibrations, kept in the car folder with what is known of their parts.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/carfolder/CarFolder.h"
#include "core/job/Garage.h"
#include "core/proposals/Donor.h"

namespace brusk::job {

using DonorPtr = std::shared_ptr<const proposals::Donor>;

/// A donor from files: an image (Intel HEX, S-record, binary from the address `base`) seen through a definition file,
/// or through `usual` when none is given, and its build sheet. Without one named, "NAME.build-sheet.json" beside the
/// image is taken if it is there. Refused when image and definition do not belong together; an image that holds only
/// the calibration has no software id to tell, which is said in its remark.
[[nodiscard]] Result<proposals::Donor> readDonor(storage::FileSystem& files, const storage::Path& image,
                                                 const storage::Path& definitionFile,
                                                 std::shared_ptr<const definition::Definition> usual, uint32_t base = 0,
                                                 storage::Path sheet = {});

/// Reads a donor and keeps copies of its files in the folder.
[[nodiscard]] Result<DonorPtr> addDonor(const Kit& kit, carfolder::CarFolder& folder, const storage::Path& image,
                                        const storage::Path& definitionFile);
/// All that the folder keeps; one that can't be read is left out and said in `problems`.
std::vector<DonorPtr> donorsOf(const Kit& kit, carfolder::CarFolder& folder, std::vector<Error>& problems);
/// What is known of a kept donor's parts.
[[nodiscard]] Result<DonorPtr> setDonorSheet(carfolder::CarFolder& folder, const DonorPtr& donor,
                                             const proposals::BuildSheet& sheet);

}  // namespace brusk::job
