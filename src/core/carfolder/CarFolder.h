// One directory that holds everything about one car: rounds, images, recordings, build sheet, flash journal.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <map>
#include <memory>
#include <mutex>
#include <optional>
#include <string>
#include <vector>

#include "core/calibration/Calibration.h"
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
    std::string rights;  ///< of a calibration that came sealed (job::rightsFromJson); empty: none but ours
};

/// A flash as the folder remembers it.
struct FlashEntry {
    int64_t id = 0;
    int64_t round = 0;
    std::string scope;
    int sectors = 0;
    std::string begunAt;
    std::string endedAt;     ///< empty: it is under way, or was cut off
    std::string outcome;     ///< "done", or why it stopped
    std::string overridden;  ///< the gates somebody overrode, and the serial number typed for it
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

/// A sector that nobody knows the content of, and how far the work on it had come.
struct UnknownSector {
    link::Sector sector;
    link::SectorStep step = link::SectorStep::Erase;
};

/// What the ledger knows of the controller's sectors.
struct CarContents {
    std::optional<int64_t> round;  ///< the round whose bytes all sectors hold
    std::vector<UnknownSector> unknown;
    bool everKnown = false;  ///< the car was read or flashed at least once
    /// The flash that did not come to its end, if the last one did not; and how many sectors hold its round's bytes.
    std::optional<FlashEntry> unfinished;
    int sectorsOfUnfinished = 0;
    int sectors = 0;  ///< in all
};

/// Thread-safe; each call is one transaction.
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
    /// An edit of a draft, as it happens; what was undone before it is forgotten.
    [[nodiscard]] Done addEdit(int64_t round, const calibration::Edit& edit);
    /// The newest edit that is done is undone, or the oldest undone one done again.
    [[nodiscard]] Done editUndone(int64_t round);
    [[nodiscard]] Done editRedone(int64_t round);
    /// All edits of a round, to be undone and redone as if the program had never been closed.
    [[nodiscard]] Result<calibration::EditHistory> edits(int64_t round) const;
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
    /// One step of a flash. With Verified, `bytes` are what the sector holds; before, nobody knows.
    [[nodiscard]] Done sectorStep(const link::Sector& sector, link::SectorStep step, ByteSpan bytes = {});
    /// What was found in a sector outside a flash; without `bytes` it is not known.
    [[nodiscard]] Done sectorFound(const link::Sector& sector, std::optional<ByteSpan> bytes);
    /// SHA-256 of each sector's bytes as the ledger has it; empty where it is not known.
    std::map<uint32_t, std::string> sectorHashes() const;
    [[nodiscard]] Result<int64_t> flashBegun(int64_t round, const std::string& scope, int sectors,
                                             const std::string& overridden);
    [[nodiscard]] Done flashEnded(int64_t flash, const std::string& outcome);
    std::optional<FlashEntry> lastFlash() const;
    /// Sectors whose content in the car differs from the image's, or is not known.
    std::vector<link::Sector> sectorsToWrite(const image::Image& image, const std::vector<link::Sector>& sectors) const;
    CarContents contents(const std::vector<link::Sector>& sectors) const;
    /// Pieces of a read that is not finished yet; a later read goes on from them.
    [[nodiscard]] Done keepPiece(uint32_t start, ByteSpan bytes);
    [[nodiscard]] Result<image::Image> keptPieces() const;
    [[nodiscard]] Done forgetPieces();
    [[nodiscard]] Done setRights(int64_t round, const std::string& rights);
    [[nodiscard]] Done note(const std::string& what);
    std::vector<JournalEntry> journal(int most) const;  ///< newest first

  private:
    CarFolder(storage::FileSystem& files, storage::Path path, std::unique_ptr<SQLite::Database> database,
              std::unique_ptr<SQLite::Database> reader);
    /// SHA-256 of each sector of a round's image, computed once an image.
    std::shared_ptr<const std::map<uint32_t, std::string>> sectorShas(const Round& round,
                                                                      const std::vector<link::Sector>& sectors) const;
    /// Brings a database of an older format up to this one, after a copy of it was put aside.
    static Done migrate(SQLite::Database& database, const storage::Path& path, int version);
    /// Brings the image of every draft to where its edits are: the program may have died between the two.
    Done recoverDrafts();
    template <class F>
    auto inTransaction(const char* what, F work) -> decltype(work());

    storage::FileSystem& files_;
    storage::Path path_;
    std::mutex writeMutex_;  // guards database_
    std::unique_ptr<SQLite::Database> database_;
    mutable std::mutex readMutex_;  // guards reader_ and sectorShas_
    /// A connection of its own for looking: nobody who looks waits for a writer's disk.
    std::unique_ptr<SQLite::Database> reader_;
    using SectorShas = std::map<uint32_t, std::string>;
    mutable std::map<std::string, std::shared_ptr<const SectorShas>> sectorShas_;  // by image
};

/// Now as "2026-03-01T10:12:05Z".
std::string utcNow();

}  // namespace brusk::carfolder
