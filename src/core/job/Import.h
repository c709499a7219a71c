// Recordings from elsewhere: opened with what was said of files like them, and written for others. Recordings::keep()
// takes them into a car's folder.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/recording/ImportPlan.h"
#include "core/storage/FileSystem.h"

namespace brusk::job {

/// Where what was said about files is remembered, and the DBC files of one's own lie.
struct ImportHome {
    storage::Path folder;  ///< the data folder of whoever sits here (deliver::usualHome())

    storage::Path plans() const { return folder / "import-plans"; }
    storage::Path dbcs() const { return folder / "dbc"; }
};

/// The messages of DBC files; `remarks` gets what can't be read of them, and files that can't be read at all.
std::vector<can::DbcMessage> loadDbcs(storage::FileSystem& files, const std::vector<storage::Path>& paths,
                                      std::vector<std::string>& remarks);
/// Those of one's own library.
std::vector<can::DbcMessage> ownDbcs(storage::FileSystem& files, const ImportHome& home,
                                     std::vector<std::string>& remarks);
/// Puts a DBC file into one's own library, in place of one of that name. Refused where it can't be read.
[[nodiscard]] Done keepDbc(storage::FileSystem& files, const ImportHome& home, const storage::Path& dbc);

/// A file for import: MDF 4, table or CAN log, whatever its name says.
[[nodiscard]] Result<recording::ImportFile> openForImport(storage::FileSystem& files, const storage::Path& path,
                                                          const std::vector<can::DbcMessage>& messages);
/// What was said of files laid out like this one; nothing where that was never, or can't be read any more.
recording::ImportSaid remembered(storage::FileSystem& files, const ImportHome& home, const std::string& fingerprint);
/// Remembers it; nothing said is forgotten.
[[nodiscard]] Done remember(storage::FileSystem& files, const ImportHome& home, const std::string& fingerprint,
                            const recording::ImportSaid& said);
/// The plan for a file, by what was remembered; what is remembered and makes no sense any more is left out.
[[nodiscard]] Result<recording::ImportPlan> planFor(storage::FileSystem& files, const ImportHome& home,
                                                    const recording::ImportFile& file, recording::ImportSaid& said);
/// A recording of any readable format, by what is remembered and guessed.
[[nodiscard]] Result<recording::Recording> readRecording(storage::FileSystem& files, const ImportHome& home,
                                                         const storage::Path& path,
                                                         const std::vector<can::DbcMessage>& messages = {});

/// A file that a recording can be written to.
enum class WrittenAs { Mdf4, PackedMdf4, Table };
/// By the ending: .mf4 or .csv; nothing for another.
std::optional<WrittenAs> writtenAs(const storage::Path& path);
[[nodiscard]] Done writeRecording(storage::FileSystem& files, const storage::Path& path,
                                  const recording::Recording& recording, WrittenAs as,
                                  const recording::csv::CsvOptions& table = {});

}  // namespace brusk::job
