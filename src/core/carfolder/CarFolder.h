// One directory that holds everything about one car. This is the door; what is in it stands in its parts: Rounds,
// Recordings, CarMemory and Settings, on one Database.
//
// One program at a time writes into a folder: it holds the lock of `car.lock`. Who comes second may look, is told who
// works there, and may take over when that one is gone. A folder that can't be written may be looked at too.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <memory>
#include <string>
#include <vector>

#include "core/carfolder/CarMemory.h"
#include "core/carfolder/Recordings.h"
#include "core/carfolder/Rounds.h"
#include "core/carfolder/Settings.h"

namespace brusk::carfolder {

/// What somebody opens a folder for.
enum class Purpose {
    Work,  ///< to write, when nobody else does; else to look
    Look   ///< only to look: nobody is kept out by it
};

/// Thread-safe; each call is one transaction.
class CarFolder {
  public:
    /// Makes a new folder, whole or not at all; an existing car folder is refused (Conflict).
    [[nodiscard]] static Result<std::unique_ptr<CarFolder>> create(storage::FileSystem& files,
                                                                   const storage::Path& path,
                                                                   const std::string& carName);
    /// Opens one; says plainly when it is none, is damaged, or comes from a newer version.
    [[nodiscard]] static Result<std::unique_ptr<CarFolder>> open(storage::FileSystem& files, const storage::Path& path,
                                                                 Purpose purpose = Purpose::Work);
    /// Whether a car folder stands there. A folder whose making was cut off is none yet.
    static bool isThere(storage::FileSystem& files, const storage::Path& path);
    ~CarFolder();

    const storage::Path& path() const { return path_; }
    storage::FileSystem& files() const { return files_; }
    /// Whether something can be written; else `whyNot()` says why, as a sentence.
    bool mayWrite() const { return database_->mayWrite(); }
    const std::string& whyNot() const { return database_->whyNot(); }
    /// What opening it found to tell the user, a sentence each: recordings taken in, a format brought up.
    const std::vector<std::string>& news() const { return news_; }

    /// The ledger as it is now, as a file of its own where nothing stands yet.
    [[nodiscard]] Done copyLedger(const storage::Path& to) const;
    /// What a car folder holds that is no ledger and no file of the moment: names below it.
    [[nodiscard]] Result<std::vector<std::string>> filesToKeep() const;
    static constexpr const char* kLedger = "car.sqlite";

    Settings& settings() { return settings_; }
    const Settings& settings() const { return settings_; }
    Rounds& rounds() { return rounds_; }
    const Rounds& rounds() const { return rounds_; }
    Recordings& recordings() { return recordings_; }
    const Recordings& recordings() const { return recordings_; }
    CarMemory& memory() { return memory_; }
    const CarMemory& memory() const { return memory_; }

  private:
    CarFolder(storage::FileSystem& files, storage::Path path, std::unique_ptr<storage::Lock> lock,
              std::unique_ptr<Database> database);
    /// What was left by a program that died here.
    Done tidy();

    storage::FileSystem& files_;
    storage::Path path_;
    std::unique_ptr<storage::Lock> lock_;
    std::unique_ptr<Database> database_;
    Settings settings_;
    Rounds rounds_;
    Recordings recordings_;
    CarMemory memory_;
    std::vector<std::string> news_;
};

}  // namespace brusk::carfolder
