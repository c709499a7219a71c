// One directory that holds everything about one car: rounds, images, recordings, build sheet, flash journal.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <map>
#include <memory>
#include <mutex>
#include <optional>
#include <string>
#include <vector>

#include "core/image/Image.h"
#include "core/link/Transfer.h"
#include "core/storage/FileSystem.h"

namespace SQLite {
class Database;
}

namespace brusk::carfolder {

enum class RoundState {
    Original,  ///< round 0: nothing can change it
    Draft,     ///< its calibration may still be edited
    Fixed      ///< it was flashed, or another round was built on it: edits begin a new round
};

struct Round {
    int64_t id = 0;
    int number = 0;
    std::optional<int64_t> parent;
    std::string title;
    std::string note;
    std::string createdAt;  ///< ISO 8601, UTC
    std::string flashedAt;  ///< empty: never
    std::string imageSha256;
    RoundState state = RoundState::Draft;
    std::optional<double> fuelError_pct;  ///< of the drives made on it
    int recordings = 0;
};

struct RecordingEntry {
    int64_t id = 0;
    int64_t round = 0;
    std::string file;  ///< below recordings/
    std::string title;
    std::string startedAt;
    double duration_s = 0;
    int64_t samples = 0;
    int gaps = 0;
};

struct JournalEntry {
    std::string at;
    std::string what;
};

/// What the ledger knows of the controller's sectors.
struct CarContents {
    std::optional<int64_t> round;  ///< the round whose bytes all known sectors hold
    int unknownSectors = 0;        ///< begun and not verified
    bool everKnown = false;        ///< the car was read or flashed at least once
};

/// Thread-safe; each call is one transaction. Journals a flash as FlashJournal does.
class CarFolder {
  public:
    /// Makes a new folder; an existing car folder is refused.
    [[nodiscard]] static Result<std::unique_ptr<CarFolder>> create(storage::FileSystem& files,
                                                                   const storage::Path& path,
                                                                   const std::string& carName);
    /// Opens one; says plainly when it is none, is damaged, or comes from a newer version.
    [[nodiscard]] static Result<std::unique_ptr<CarFolder>> open(storage::FileSystem& files, const storage::Path& path);
    ~CarFolder();

    const storage::Path& path() const { return path_; }
    storage::FileSystem& files() { return files_; }
    std::string carName() const { return setting("car_name"); }

    /// Small facts by key ("identity", "build_sheet", "link"); empty when never set.
    std::string setting(const std::string& key) const;
    [[nodiscard]] Done setSetting(const std::string& key, const std::string& value);

    // --- rounds
    std::vector<Round> rounds() const;  ///< newest first
    [[nodiscard]] Result<Round> round(int64_t id) const;
    std::optional<Round> original() const;
    [[nodiscard]] Result<std::shared_ptr<const image::Image>> image(int64_t round) const;
    /// Keeps the first read as round 0 and as a read-only original.hex; refused when there is one.
    [[nodiscard]] Result<Round> storeOriginal(const image::Image& image, const std::string& note);
    [[nodiscard]] Result<Round> addRound(int64_t parent, const image::Image& image, const std::string& title,
                                         const std::string& note);
    /// A draft's new bytes; refused for any other state.
    [[nodiscard]] Done updateDraft(int64_t round, const image::Image& image);
    [[nodiscard]] Done renameRound(int64_t round, const std::string& title, const std::string& note);
    [[nodiscard]] Done setFuelError(int64_t round, double percent);
    [[nodiscard]] Done markFlashed(int64_t round);

    // --- recordings
    storage::Path recordingPath(const std::string& file) const { return path_ / "recordings" / file; }
    [[nodiscard]] Result<RecordingEntry> addRecording(RecordingEntry entry);
    std::vector<RecordingEntry> recordings(int64_t round) const;

    // --- what is in the car
    /// Takes every sector of the image as known to be in the car.
    [[nodiscard]] Done carHolds(const image::Image& image, const std::vector<link::Sector>& sectors);
    [[nodiscard]] Done sectorBegun(const link::Sector& sector);
    [[nodiscard]] Done sectorVerified(const link::Sector& sector, ByteSpan bytes);
    /// Sectors whose content in the car differs from the image's, or is not known.
    std::vector<link::Sector> sectorsToWrite(const image::Image& image, const std::vector<link::Sector>& sectors) const;
    CarContents contents(const std::vector<link::Sector>& sectors) const;
    [[nodiscard]] Done note(const std::string& what);
    std::vector<JournalEntry> journal(int most) const;  ///< newest first

  private:
    CarFolder(storage::FileSystem& files, storage::Path path, std::unique_ptr<SQLite::Database> database);
    /// SHA-256 of each sector of a round's image, computed once an image.
    const std::map<uint32_t, std::string>* sectorShas(const Round& round,
                                                      const std::vector<link::Sector>& sectors) const;
    template <class F>
    auto inTransaction(const char* what, F work) const -> decltype(work());

    storage::FileSystem& files_;
    storage::Path path_;
    mutable std::recursive_mutex mutex_;  ///< guards database_
    std::unique_ptr<SQLite::Database> database_;
    mutable std::map<std::string, std::map<uint32_t, std::string>> sectorShas_;  // by image; guarded by mutex_
};

/// Now as "2026-03-01T10:12:05Z".
std::string utcNow();

}  // namespace brusk::carfolder
