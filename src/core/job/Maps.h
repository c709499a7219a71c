// What the work on maps needs beyond one calibration: donors, evidence in the cells of any map, a definition of the
// car's own. SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <set>

#include "core/calibration/Calibration.h"
#include "core/carfolder/CarFolder.h"
#include "core/job/Garage.h"
#include "core/recording/Recording.h"

namespace brusk::job {

/// A calibration from files: an image (Intel HEX, S-record, binary from the address `base`) seen through a definition
/// file, or through `usual` when none is given. Refused when the two do not belong together.
[[nodiscard]] Result<calibration::Calibration> readDonor(storage::FileSystem& files, const storage::Path& image,
                                                         const storage::Path& definitionFile,
                                                         std::shared_ptr<const definition::Definition> usual,
                                                         uint32_t base = 0);
/// A definition with the files it includes, which are looked for beside it.
[[nodiscard]] Result<definition::A2lContents> readDefinition(storage::FileSystem& files, const storage::Path& path);

/// The recordings driven on a round, or on its nearest ancestor that has some.
[[nodiscard]] Result<std::vector<std::shared_ptr<const recording::Recording>>> recordingsFor(
    carfolder::CarFolder& folder, int64_t round);

/// How many samples fell nearest to each cell of a table, row by row; empty when its inputs were not recorded.
std::vector<uint32_t> samplesInCells(const std::vector<std::shared_ptr<const recording::Recording>>& recordings,
                                     const calibration::Table& table);

/// The kit with the folder's own definition, if it keeps one; the kit as it is otherwise.
[[nodiscard]] Result<std::shared_ptr<const Kit>> withOwnDefinition(std::shared_ptr<const Kit> kit,
                                                                   carfolder::CarFolder& folder);
/// Keeps a definition's text in the folder's "definitions", beside a copy of the one it came from and under a name of
/// its own: nothing is ever written over. The folder uses it from now on. Gives the kit with it.
[[nodiscard]] Result<std::shared_ptr<const Kit>> keepOwnDefinition(const std::shared_ptr<const Kit>& kit,
                                                                   carfolder::CarFolder& folder,
                                                                   const std::string& text);

}  // namespace brusk::job
