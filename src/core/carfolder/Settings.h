// Small facts by key, and the versions of the build sheet.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <string>

#include "core/carfolder/Database.h"

namespace brusk::carfolder {

/// The build sheet as it was at some time. The same bytes on other parts are other evidence: rounds and recordings
/// name the version they were made on.
struct SheetVersion {
    int64_t version = 0;
    std::string at;     ///< ISO 8601, UTC
    std::string facts;  ///< as job::buildSheetFromJson reads it
};

class Settings {
  public:
    explicit Settings(Database& database) : database_(database) {}

    /// "identity", "link", "profile"; empty when never set.
    [[nodiscard]] Result<std::string> get(const std::string& key) const;
    [[nodiscard]] Done set(const std::string& key, const std::string& value);

    /// The newest build sheet; version 0 and no facts when none was kept.
    [[nodiscard]] Result<SheetVersion> sheet() const;
    [[nodiscard]] Result<SheetVersion> sheet(int64_t version) const;
    /// Keeps the facts as a new version; facts that say the same as the newest are that version. A version that no
    /// round and no recording was made on yet is written over: somebody is still typing.
    [[nodiscard]] Result<int64_t> keepSheet(const std::string& facts);

  private:
    Database& database_;
};

}  // namespace brusk::carfolder
