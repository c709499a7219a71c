// The tables of car.sqlite, and how an image lies in them.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/Result.h"
#include "core/calibration/Calibration.h"
#include "core/storage/FileSystem.h"

namespace SQLite {
class Database;
}

namespace brusk::carfolder {

inline constexpr int kSchemaVersion = 4;
inline constexpr int kApplicationId = 0x4272736B;  // "Brsk": tells a car folder's database from any other

/// Ending of a database that is being made.
inline constexpr const char* kMaking = ".making";

/// All statements that make an empty database.
extern const char* const kSchema;
/// Brings a database of an older format up to this one, after a copy of it was put beside it. Throws what the
/// database's library throws; called by Database only.
[[nodiscard]] Done migrate(SQLite::Database& database, storage::FileSystem& files, const storage::Path& folder,
                           int version);

/// SHA-256 over the runs of the image with their addresses and lengths: the same bytes at the same places, the same
/// text.
std::string imageFingerprint(const image::Image& image);
/// Runs of the image with address and length, deflated.
Bytes packImage(const image::Image& image);
[[nodiscard]] Result<image::Image> unpackImage(ByteSpan packed);
/// Each change as address, length, the bytes before and after.
Bytes packChanges(const std::vector<calibration::ByteChange>& changes);
[[nodiscard]] Result<std::vector<calibration::ByteChange>> unpackChanges(ByteSpan packed);

}  // namespace brusk::carfolder
