// A whole car folder as one file, and back.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/carfolder/CarFolder.h"
#include "core/deliver/Pieces.h"

namespace brusk::deliver {

struct Archived {
    size_t pieces = 0;
    uint64_t bytes = 0;  ///< of the archive
};
/// Writes the folder into a new file: the ledger as it is now, every recording, export and report. Rounds that came
/// sealed stay sealed in it. Conflict when something stands there; nothing is left of one that could not be finished.
[[nodiscard]] Result<Archived> archive(const carfolder::CarFolder& folder, const storage::Path& to);

struct Restored {
    size_t pieces = 0;
    std::vector<std::string> lost;  ///< files that were damaged in the archive
    bool listed = true;             ///< false: the archive's own list was lost too
};
/// Makes the folder anew where nothing stands yet; with a damaged recording the rest of it. Refused (BadInput) when the
/// ledger itself is damaged: without it nobody knows what the files are.
[[nodiscard]] Result<Restored> restore(storage::FileSystem& files, const storage::Path& archive,
                                       const storage::Path& to);

}  // namespace brusk::deliver
