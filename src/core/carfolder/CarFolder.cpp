// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/carfolder/CarFolder.h"

#include <SQLiteCpp/SQLiteCpp.h>

#include <algorithm>
#include <ctime>
#include <filesystem>

#include "core/base/Text.h"
#include "core/carfolder/Schema.h"
#include "core/image/ImageFile.h"

namespace brusk::carfolder {
namespace {

constexpr const char* kRoundColumns =
    "SELECT r.id, r.number, r.parent, r.title, r.note, r.created_at, r.flashed_at, r.image_sha256, r.state, "
    "r.fuel_error,"
    " (SELECT COUNT(*) FROM recording WHERE recording.round = r.id), r.rights FROM round r ";

Round roundOf(SQLite::Statement& row) {
    Round out;
    out.id = row.getColumn(0).getInt64();
    out.number = row.getColumn(1).getInt();
    if (!row.getColumn(2).isNull()) out.parent = row.getColumn(2).getInt64();
    out.title = row.getColumn(3).getString();
    out.note = row.getColumn(4).getString();
    out.createdAt = row.getColumn(5).getString();
    out.flashedAt = row.getColumn(6).getString();
    out.imageSha256 = row.getColumn(7).getString();
    out.state = static_cast<RoundState>(row.getColumn(8).getInt());
    if (!row.getColumn(9).isNull()) out.fuelError_pct = row.getColumn(9).getDouble();
    out.recordings = row.getColumn(10).getInt();
    out.rights = row.getColumn(11).getString();
    return out;
}

std::string storeImage(SQLite::Database& db, const image::Image& image) {
    const Bytes packed = packImage(image);
    std::string sha = imageFingerprint(image);
    SQLite::Statement insert(db, "INSERT OR IGNORE INTO image(sha256, bytes) VALUES (?, ?)");
    insert.bind(1, sha);
    insert.bindNoCopy(2, packed.data(), static_cast<int>(packed.size()));
    insert.exec();
    return sha;
}

void writeJournal(SQLite::Database& db, const std::string& what) {
    SQLite::Statement insert(db, "INSERT INTO journal(at, what) VALUES (?, ?)");
    insert.bind(1, utcNow());
    insert.bind(2, what);
    insert.exec();
}

void setSector(SQLite::Database& db, const link::Sector& sector, const std::string& sha, link::SectorStep step) {
    SQLite::Statement insert(db, "INSERT OR REPLACE INTO sector(start, length, sha256, step) VALUES (?, ?, ?, ?)");
    insert.bind(1, static_cast<int64_t>(sector.start));
    insert.bind(2, static_cast<int64_t>(sector.length));
    insert.bind(3, sha);
    insert.bind(4, static_cast<int>(step));
    insert.exec();
}

std::map<uint32_t, std::string> knownSectors(SQLite::Database& db) {
    std::map<uint32_t, std::string> out;
    SQLite::Statement row(db, "SELECT start, sha256 FROM sector");
    while (row.executeStep())
        out[static_cast<uint32_t>(row.getColumn(0).getInt64())] = row.getColumn(1).getString();
    return out;
}

/// SHA-256 of the image's bytes in a sector; empty when the image lacks them.
std::string sectorSha(const image::Image& image, const link::Sector& sector) {
    const auto bytes = image.bytes(sector.start, sector.length);
    return bytes ? sha256Hex(*bytes) : std::string();
}

std::unique_ptr<SQLite::Database> openReader(const storage::Path& path) {
    auto reader = std::make_unique<SQLite::Database>((path / "car.sqlite").string(), SQLite::OPEN_READONLY);
    reader->setBusyTimeout(2000);
    return reader;
}

tl::unexpected<Error> notACarFolder(const storage::Path& path, const std::string& why) {
    return fail(ErrorCode::BadInput, path.string() + " is not a car folder: " + why + ". Nothing was changed.");
}

}  // namespace

std::string utcNow() {
    const std::time_t now = std::time(nullptr);
    std::tm parts{};
    gmtime_r(&now, &parts);
    char text[32];
    std::strftime(text, sizeof text, "%Y-%m-%dT%H:%M:%SZ", &parts);
    return text;
}

CarFolder::CarFolder(storage::FileSystem& files, storage::Path path, std::unique_ptr<SQLite::Database> database,
                     std::unique_ptr<SQLite::Database> reader)
    : files_(files), path_(std::move(path)), database_(std::move(database)), reader_(std::move(reader)) {}

CarFolder::~CarFolder() = default;

/// Runs `work` in one transaction and turns what SQLite throws into an Error.
template <class F>
auto CarFolder::inTransaction(const char* what, F work) -> decltype(work()) {
    const std::lock_guard lock(writeMutex_);
    try {
        SQLite::Transaction transaction(*database_, SQLite::TransactionBehavior::IMMEDIATE);
        auto result = work();
        if (result) transaction.commit();
        return result;
    } catch (const std::exception& problem) {
        return fail(ErrorCode::Io, std::string("The car folder could not ") + what + ": " + problem.what() + ".");
    }
}

Result<std::unique_ptr<CarFolder>> CarFolder::create(storage::FileSystem& files, const storage::Path& path,
                                                     const std::string& carName) {
    if (files.exists(path / "car.sqlite"))
        return fail(ErrorCode::Conflict, path.string() + " is a car folder already; open it instead.");
    for (const char* below : {"recordings", "exports"})
        if (auto done = files.makeFolder(path / below); !done) return tl::unexpected(done.error());
    try {
        auto db = std::make_unique<SQLite::Database>((path / "car.sqlite").string(),
                                                     SQLite::OPEN_READWRITE | SQLite::OPEN_CREATE);
        db->exec("PRAGMA journal_mode = WAL; PRAGMA foreign_keys = ON; PRAGMA synchronous = FULL;");
        SQLite::Transaction transaction(*db);
        db->exec(kSchema);
        db->exec("PRAGMA application_id = " + std::to_string(kApplicationId));
        db->exec("PRAGMA user_version = " + std::to_string(kSchemaVersion));
        transaction.commit();
        auto folder = std::unique_ptr<CarFolder>(new CarFolder(files, path, std::move(db), openReader(path)));
        if (auto done = folder->setSetting("car_name", carName); !done) return tl::unexpected(done.error());
        return folder;
    } catch (const std::exception& problem) {
        return fail(ErrorCode::Io, "The car folder " + path.string() + " could not be made: " + problem.what() + ".");
    }
}

Result<std::unique_ptr<CarFolder>> CarFolder::open(storage::FileSystem& files, const storage::Path& path) {
    if (!files.exists(path)) return fail(ErrorCode::NotFound, "There is no folder " + path.string() + ".");
    if (!files.exists(path / "car.sqlite")) return notACarFolder(path, "it holds no car.sqlite");
    try {
        {
            // Looked at without writing first, so that a foreign database is left as it is.
            SQLite::Database look((path / "car.sqlite").string(), SQLite::OPEN_READONLY);
            if (look.execAndGet("PRAGMA application_id").getInt() != kApplicationId)
                return notACarFolder(path, "its car.sqlite belongs to another program");
            const int version = look.execAndGet("PRAGMA user_version").getInt();
            if (version > kSchemaVersion)
                return fail(ErrorCode::Refused, path.string() + " was written by a newer Brusk (format " +
                                                    std::to_string(version) + "); this one reads up to " +
                                                    std::to_string(kSchemaVersion) + ". Nothing was changed.");
        }
        auto db = std::make_unique<SQLite::Database>((path / "car.sqlite").string(), SQLite::OPEN_READWRITE);
        db->setBusyTimeout(2000);
        db->exec("PRAGMA journal_mode = WAL; PRAGMA foreign_keys = ON; PRAGMA synchronous = FULL;");
        if (const int version = db->execAndGet("PRAGMA user_version").getInt(); version < kSchemaVersion)
            if (auto done = migrate(*db, path, version); !done) return tl::unexpected(done.error());
        std::unique_ptr<CarFolder> folder(new CarFolder(files, path, std::move(db), openReader(path)));
        if (auto done = folder->recoverDrafts(); !done) return tl::unexpected(done.error());
        return folder;
    } catch (const std::exception& problem) {
        return notACarFolder(path, std::string("its car.sqlite can't be read (") + problem.what() + ")");
    }
}

Done CarFolder::migrate(SQLite::Database& db, const storage::Path& path, int version) {
    // A copy of the old format stays beside it, made by the database itself so that nothing of its log is missed.
    const std::string copy = (path / ("car.format" + std::to_string(version) + ".sqlite")).string();
    std::error_code ignored;
    if (!std::filesystem::exists(copy, ignored)) {
        SQLite::Statement keep(db, "VACUUM INTO ?");
        keep.bind(1, copy);
        keep.exec();
    }
    SQLite::Transaction transaction(db, SQLite::TransactionBehavior::IMMEDIATE);
    if (version < 2) db.exec(kFrom1To2);
    if (version < 3) db.exec(kFrom2To3);
    db.exec("PRAGMA user_version = " + std::to_string(kSchemaVersion));
    transaction.commit();
    return {};
}

std::string CarFolder::setting(const std::string& key) const {
    const std::lock_guard lock(readMutex_);
    SQLite::Statement row(*reader_, "SELECT value FROM setting WHERE key = ?");
    row.bind(1, key);
    return row.executeStep() ? row.getColumn(0).getString() : std::string();
}

Done CarFolder::setSetting(const std::string& key, const std::string& value) {
    return inTransaction("keep a setting", [&]() -> Done {
        SQLite::Statement insert(*database_, "INSERT OR REPLACE INTO setting(key, value) VALUES (?, ?)");
        insert.bind(1, key);
        insert.bind(2, value);
        insert.exec();
        return {};
    });
}

std::vector<Round> CarFolder::rounds() const {
    const std::lock_guard lock(readMutex_);
    std::vector<Round> out;
    SQLite::Statement row(*reader_, std::string(kRoundColumns) + "ORDER BY r.number DESC");
    while (row.executeStep())
        out.push_back(roundOf(row));
    return out;
}

Result<Round> CarFolder::round(int64_t id) const {
    const std::lock_guard lock(readMutex_);
    SQLite::Statement row(*reader_, std::string(kRoundColumns) + "WHERE r.id = ?");
    row.bind(1, id);
    if (!row.executeStep()) return fail(ErrorCode::NotFound, "The ledger has no such round.");
    return roundOf(row);
}

std::optional<Round> CarFolder::original() const {
    const std::lock_guard lock(readMutex_);
    SQLite::Statement row(*reader_, std::string(kRoundColumns) + "WHERE r.number = 0");
    if (!row.executeStep()) return std::nullopt;
    return roundOf(row);
}

Result<std::shared_ptr<const image::Image>> CarFolder::image(int64_t id) const {
    Bytes packed;
    {
        const std::lock_guard lock(readMutex_);
        SQLite::Statement row(
            *reader_,
            "SELECT image.bytes FROM round JOIN image ON image.sha256 = round.image_sha256 WHERE round.id = ?");
        row.bind(1, id);
        if (!row.executeStep()) return fail(ErrorCode::NotFound, "The ledger has no image for this round.");
        const auto column = row.getColumn(0);
        const auto* bytes = static_cast<const uint8_t*>(column.getBlob());
        packed.assign(bytes, bytes + column.getBytes());
    }
    auto image = unpackImage(packed);
    if (!image) return tl::unexpected(image.error());
    return std::make_shared<const image::Image>(std::move(*image));
}

Result<Round> CarFolder::storeOriginal(const image::Image& image, const std::string& text) {
    if (original())
        return fail(ErrorCode::Refused, "This car folder has its original already; it is never overwritten.");
    const auto hex = image::writeImage(image, image::Format::IntelHex);
    if (!hex) return tl::unexpected(hex.error());
    if (auto done = files_.save(path_ / "original.hex", *hex); !done) return tl::unexpected(done.error());
    if (auto done = files_.makeReadOnly(path_ / "original.hex"); !done) return tl::unexpected(done.error());
    auto id = inTransaction("keep the original", [&]() -> Result<int64_t> {
        const std::string sha = storeImage(*database_, image);
        SQLite::Statement insert(*database_,
                                 "INSERT INTO round(number, parent, title, note, created_at, image_sha256, state) "
                                 "VALUES (0, NULL, 'Original', ?, ?, ?, ?)");
        insert.bind(1, text);
        insert.bind(2, utcNow());
        insert.bind(3, sha);
        insert.bind(4, static_cast<int>(RoundState::Original));
        insert.exec();
        const int64_t made = database_->getLastInsertRowid();
        writeJournal(*database_, "Original kept");
        return made;
    });
    if (!id) return tl::unexpected(id.error());
    return round(*id);
}

Result<Round> CarFolder::addRound(int64_t parent, const image::Image& image, const std::string& title,
                                  const std::string& text) {
    auto id = inTransaction("add a round", [&]() -> Result<int64_t> {
        const std::string sha = storeImage(*database_, image);
        const int number = database_->execAndGet("SELECT COALESCE(MAX(number), -1) + 1 FROM round").getInt();
        SQLite::Statement insert(*database_,
                                 "INSERT INTO round(number, parent, title, note, created_at, image_sha256, state) "
                                 "VALUES (?, ?, ?, ?, ?, ?, ?)");
        insert.bind(1, number);
        insert.bind(2, parent);
        insert.bind(3, title);
        insert.bind(4, text);
        insert.bind(5, utcNow());
        insert.bind(6, sha);
        insert.bind(7, static_cast<int>(RoundState::Draft));
        insert.exec();
        const int64_t made = database_->getLastInsertRowid();
        // What another round was built on is not edited any more.
        SQLite::Statement fix(*database_, "UPDATE round SET state = ? WHERE id = ? AND state = ?");
        fix.bind(1, static_cast<int>(RoundState::Fixed));
        fix.bind(2, parent);
        fix.bind(3, static_cast<int>(RoundState::Draft));
        fix.exec();
        writeJournal(*database_, "Round " + std::to_string(number) + " made: " + title);
        return made;
    });
    if (!id) return tl::unexpected(id.error());
    return round(*id);
}

Done CarFolder::addEdit(int64_t round, const calibration::Edit& edit) {
    return inTransaction("keep an edit", [&]() -> Done {
        SQLite::Statement forget(*database_, "DELETE FROM edit WHERE round = ? AND done = 0");
        forget.bind(1, round);
        forget.exec();
        const Bytes changes = packChanges(edit.changes);
        SQLite::Statement insert(*database_, "INSERT INTO edit(round, name, changes) VALUES (?, ?, ?)");
        insert.bind(1, round);
        insert.bind(2, edit.name);
        insert.bindNoCopy(3, changes.data(), static_cast<int>(changes.size()));
        insert.exec();
        return {};
    });
}

Done CarFolder::editUndone(int64_t round) {
    return inTransaction("undo an edit", [&]() -> Done {
        SQLite::Statement update(
            *database_, "UPDATE edit SET done = 0 WHERE id = (SELECT MAX(id) FROM edit WHERE round = ? AND done = 1)");
        update.bind(1, round);
        update.exec();
        return {};
    });
}

Done CarFolder::editRedone(int64_t round) {
    return inTransaction("redo an edit", [&]() -> Done {
        SQLite::Statement update(
            *database_, "UPDATE edit SET done = 1 WHERE id = (SELECT MIN(id) FROM edit WHERE round = ? AND done = 0)");
        update.bind(1, round);
        update.exec();
        return {};
    });
}

Result<calibration::EditHistory> CarFolder::edits(int64_t round) const {
    const std::lock_guard lock(readMutex_);
    std::vector<calibration::Edit> done, undone;
    SQLite::Statement row(*reader_, "SELECT name, changes, done FROM edit WHERE round = ? ORDER BY id");
    row.bind(1, round);
    while (row.executeStep()) {
        const auto blob = row.getColumn(1);
        auto changes =
            unpackChanges({static_cast<const uint8_t*>(blob.getBlob()), static_cast<size_t>(blob.getBytes())});
        if (!changes) return tl::unexpected(changes.error());
        (row.getColumn(2).getInt() ? done : undone).push_back({row.getColumn(0).getString(), std::move(*changes), 0});
    }
    // The edit that was undone last is the first to be redone.
    std::reverse(undone.begin(), undone.end());
    return calibration::EditHistory(std::move(done), std::move(undone));
}

Done CarFolder::recoverDrafts() {
    for (const Round& round : rounds()) {
        if (round.state != RoundState::Draft) continue;
        const auto history = edits(round.id);
        if (!history) return tl::unexpected(history.error());
        if (!history->canUndo() && !history->canRedo()) continue;
        const auto stored = image(round.id);
        if (!stored) return tl::unexpected(stored.error());
        image::Image whole = **stored;
        if (auto done = history->bringTo(whole); !done) return done;
        if (whole == **stored) continue;
        if (auto done = updateDraft(round.id, whole); !done) return done;
    }
    return {};
}

Done CarFolder::updateDraft(int64_t id, const image::Image& image) {
    return inTransaction("save the draft", [&]() -> Done {
        const std::string sha = storeImage(*database_, image);
        SQLite::Statement old(*database_, "SELECT image_sha256 FROM round WHERE id = ? AND state = ?");
        old.bind(1, id);
        old.bind(2, static_cast<int>(RoundState::Draft));
        if (!old.executeStep()) return fail(ErrorCode::Refused, "Only a draft can be edited.");
        const std::string before = old.getColumn(0).getString();
        old.reset();
        SQLite::Statement update(*database_, "UPDATE round SET image_sha256 = ? WHERE id = ?");
        update.bind(1, sha);
        update.bind(2, id);
        update.exec();
        SQLite::Statement tidy(*database_,
                               "DELETE FROM image WHERE sha256 = ? AND sha256 NOT IN (SELECT image_sha256 FROM round)");
        tidy.bind(1, before);
        tidy.exec();
        return {};
    });
}

Done CarFolder::renameRound(int64_t id, const std::string& title, const std::string& text) {
    return inTransaction("rename the round", [&]() -> Done {
        SQLite::Statement update(*database_, "UPDATE round SET title = ?, note = ? WHERE id = ?");
        update.bind(1, title);
        update.bind(2, text);
        update.bind(3, id);
        update.exec();
        return {};
    });
}

Done CarFolder::setFuelError(int64_t id, double percent) {
    return inTransaction("keep the fuel error", [&]() -> Done {
        SQLite::Statement update(*database_, "UPDATE round SET fuel_error = ? WHERE id = ?");
        update.bind(1, percent);
        update.bind(2, id);
        update.exec();
        return {};
    });
}

Done CarFolder::markFlashed(int64_t id) {
    return inTransaction("note the flash", [&]() -> Done {
        SQLite::Statement update(*database_, "UPDATE round SET flashed_at = ? WHERE id = ?");
        update.bind(1, utcNow());
        update.bind(2, id);
        update.exec();
        SQLite::Statement fix(*database_, "UPDATE round SET state = ? WHERE id = ? AND state = ?");
        fix.bind(1, static_cast<int>(RoundState::Fixed));
        fix.bind(2, id);
        fix.bind(3, static_cast<int>(RoundState::Draft));
        fix.exec();
        return {};
    });
}

Result<RecordingEntry> CarFolder::addRecording(RecordingEntry entry) {
    return inTransaction("keep the recording", [&]() -> Result<RecordingEntry> {
        SQLite::Statement insert(*database_,
                                 "INSERT INTO recording(round, file, title, started_at, duration_s, samples, gaps) "
                                 "VALUES (?, ?, ?, ?, ?, ?, ?)");
        insert.bind(1, entry.round);
        insert.bind(2, entry.file);
        insert.bind(3, entry.title);
        insert.bind(4, entry.startedAt);
        insert.bind(5, entry.duration_s);
        insert.bind(6, entry.samples);
        insert.bind(7, entry.gaps);
        insert.exec();
        entry.id = database_->getLastInsertRowid();
        return entry;
    });
}

std::vector<RecordingEntry> CarFolder::recordings(int64_t round) const {
    const std::lock_guard lock(readMutex_);
    std::vector<RecordingEntry> out;
    SQLite::Statement row(*reader_,
                          "SELECT id, round, file, title, started_at, duration_s, samples, gaps FROM recording WHERE "
                          "round = ? ORDER BY id");
    row.bind(1, round);
    while (row.executeStep())
        out.push_back({row.getColumn(0).getInt64(), row.getColumn(1).getInt64(), row.getColumn(2).getString(),
                       row.getColumn(3).getString(), row.getColumn(4).getString(), row.getColumn(5).getDouble(),
                       row.getColumn(6).getInt64(), row.getColumn(7).getInt()});
    return out;
}

Done CarFolder::carHolds(const image::Image& image, const std::vector<link::Sector>& sectors) {
    return inTransaction("note what is in the car", [&]() -> Done {
        for (const link::Sector& sector : sectors)
            if (const std::string sha = sectorSha(image, sector); !sha.empty())
                setSector(*database_, sector, sha, link::SectorStep::Verified);
        return {};
    });
}

Done CarFolder::sectorStep(const link::Sector& sector, link::SectorStep step, ByteSpan bytes) {
    return inTransaction("write the flash journal", [&]() -> Done {
        const bool known = step == link::SectorStep::Verified;
        setSector(*database_, sector, known ? sha256Hex(bytes) : std::string(), step);
        static constexpr const char* kWhat[] = {": erasing", ": writing", ": reading back", ": verified"};
        writeJournal(*database_, hexAddress(sector.start) + kWhat[static_cast<int>(step)]);
        return {};
    });
}

Done CarFolder::sectorFound(const link::Sector& sector, std::optional<ByteSpan> bytes) {
    return inTransaction("note what is in the car", [&]() -> Done {
        setSector(*database_, sector, bytes ? sha256Hex(*bytes) : std::string(),
                  bytes ? link::SectorStep::Verified : link::SectorStep::Write);
        writeJournal(*database_,
                     hexAddress(sector.start) + (bytes ? ": looked at, known again" : ": holds bytes of no round"));
        return {};
    });
}

std::map<uint32_t, std::string> CarFolder::sectorHashes() const {
    const std::lock_guard lock(readMutex_);
    return knownSectors(*reader_);
}

Result<int64_t> CarFolder::flashBegun(int64_t round, const std::string& scope, int sectors,
                                      const std::string& overridden) {
    return inTransaction("write the flash journal", [&]() -> Result<int64_t> {
        SQLite::Statement insert(
            *database_, "INSERT INTO flash(round, scope, sectors, begun_at, overridden) VALUES (?, ?, ?, ?, ?)");
        insert.bind(1, round);
        insert.bind(2, scope);
        insert.bind(3, sectors);
        insert.bind(4, utcNow());
        insert.bind(5, overridden);
        insert.exec();
        const int64_t id = database_->getLastInsertRowid();
        SQLite::Statement number(*database_, "SELECT number FROM round WHERE id = ?");
        number.bind(1, round);
        const int n = number.executeStep() ? number.getColumn(0).getInt() : -1;
        writeJournal(*database_, "Flash of round " + std::to_string(n) + " begun, " + std::to_string(sectors) +
                                     (sectors == 1 ? " sector" : " sectors"));
        if (!overridden.empty()) writeJournal(*database_, "Overridden: " + overridden);
        return id;
    });
}

Done CarFolder::flashEnded(int64_t flash, const std::string& outcome) {
    return inTransaction("write the flash journal", [&]() -> Done {
        SQLite::Statement update(*database_, "UPDATE flash SET ended_at = ?, outcome = ? WHERE id = ?");
        update.bind(1, utcNow());
        update.bind(2, outcome);
        update.bind(3, flash);
        update.exec();
        return {};
    });
}

std::optional<FlashEntry> CarFolder::lastFlash() const {
    const std::lock_guard lock(readMutex_);
    SQLite::Statement row(*reader_,
                          "SELECT id, round, scope, sectors, begun_at, ended_at, outcome, overridden FROM flash "
                          "ORDER BY id DESC LIMIT 1");
    if (!row.executeStep()) return std::nullopt;
    return FlashEntry{row.getColumn(0).getInt64(),  row.getColumn(1).getInt64(),  row.getColumn(2).getString(),
                      row.getColumn(3).getInt(),    row.getColumn(4).getString(), row.getColumn(5).getString(),
                      row.getColumn(6).getString(), row.getColumn(7).getString()};
}

Done CarFolder::keepPiece(uint32_t start, ByteSpan bytes) {
    return inTransaction("keep what was read", [&]() -> Done {
        SQLite::Statement insert(*database_, "INSERT OR REPLACE INTO read_piece(start, bytes) VALUES (?, ?)");
        insert.bind(1, static_cast<int64_t>(start));
        insert.bindNoCopy(2, bytes.data(), static_cast<int>(bytes.size()));
        insert.exec();
        return {};
    });
}

Result<image::Image> CarFolder::keptPieces() const {
    const std::lock_guard lock(readMutex_);
    image::Image out;
    SQLite::Statement row(*reader_, "SELECT start, bytes FROM read_piece ORDER BY start");
    while (row.executeStep()) {
        const auto start = static_cast<uint32_t>(row.getColumn(0).getInt64());
        const auto column = row.getColumn(1);
        const ByteSpan bytes(static_cast<const uint8_t*>(column.getBlob()), static_cast<size_t>(column.getBytes()));
        // A piece that was read again lies over an older one.
        const bool held = out.contains(start, static_cast<uint32_t>(bytes.size()));
        if (auto done = held ? out.overwrite(start, bytes) : out.add(start, bytes); !done)
            return tl::unexpected(done.error());
    }
    return out;
}

Done CarFolder::forgetPieces() {
    return inTransaction("tidy up after a read", [&]() -> Done {
        database_->exec("DELETE FROM read_piece");
        return {};
    });
}

Done CarFolder::setRights(int64_t id, const std::string& rights) {
    return inTransaction("keep the rights", [&]() -> Done {
        SQLite::Statement update(*database_, "UPDATE round SET rights = ? WHERE id = ?");
        update.bind(1, rights);
        update.bind(2, id);
        update.exec();
        return {};
    });
}

std::vector<link::Sector> CarFolder::sectorsToWrite(const image::Image& image,
                                                    const std::vector<link::Sector>& sectors) const {
    const std::lock_guard lock(readMutex_);
    const auto known = knownSectors(*reader_);
    std::vector<link::Sector> out;
    for (const link::Sector& sector : sectors) {
        const std::string wanted = sectorSha(image, sector);
        const auto held = known.find(sector.start);
        if (!wanted.empty() && (held == known.end() || held->second != wanted)) out.push_back(sector);
    }
    return out;
}

std::shared_ptr<const std::map<uint32_t, std::string>> CarFolder::sectorShas(
    const Round& round, const std::vector<link::Sector>& sectors) const {
    {
        const std::lock_guard lock(readMutex_);
        const auto known = sectorShas_.find(round.imageSha256);
        if (known != sectorShas_.end()) return known->second;
    }
    const auto bytes = image(round.id);
    if (!bytes) return nullptr;
    auto shas = std::make_shared<SectorShas>();
    for (const link::Sector& sector : sectors)
        (*shas)[sector.start] = sectorSha(**bytes, sector);
    const std::lock_guard lock(readMutex_);
    sectorShas_[round.imageSha256] = shas;
    return shas;
}

CarContents CarFolder::contents(const std::vector<link::Sector>& sectors) const {
    CarContents out;
    std::map<uint32_t, std::string> known;
    {
        const std::lock_guard lock(readMutex_);
        known = knownSectors(*reader_);
        SQLite::Statement lost(*reader_, "SELECT start, length, step FROM sector WHERE sha256 = '' ORDER BY start");
        while (lost.executeStep())
            out.unknown.push_back({{static_cast<uint32_t>(lost.getColumn(0).getInt64()),
                                    static_cast<uint32_t>(lost.getColumn(1).getInt64())},
                                   static_cast<link::SectorStep>(lost.getColumn(2).getInt())});
    }
    out.everKnown = !known.empty();
    out.sectors = static_cast<int>(sectors.size());
    const auto holds = [&](const auto& entry) {
        const auto held = known.find(entry.first);
        return entry.second.empty() || (held != known.end() && held->second == entry.second);
    };
    if (auto last = lastFlash(); last && last->outcome != "done") {
        const auto flashed = round(last->round);
        if (const auto shas = flashed ? sectorShas(*flashed, sectors) : nullptr)
            out.sectorsOfUnfinished = static_cast<int>(std::count_if(shas->begin(), shas->end(), holds));
        out.unfinished = std::move(last);
    }
    if (!out.everKnown || !out.unknown.empty()) return out;
    for (const Round& candidate : rounds()) {
        const auto shas = sectorShas(candidate, sectors);
        if (!shas) continue;
        const bool same = std::all_of(shas->begin(), shas->end(), holds);
        // Of rounds with the same bytes, the one that was flashed is meant.
        if (same && (!out.round || !candidate.flashedAt.empty())) out.round = candidate.id;
        if (same && !candidate.flashedAt.empty()) break;
    }
    return out;
}

Done CarFolder::note(const std::string& what) {
    return inTransaction("write the journal", [&]() -> Done {
        writeJournal(*database_, what);
        return {};
    });
}

std::vector<JournalEntry> CarFolder::journal(int most) const {
    const std::lock_guard lock(readMutex_);
    std::vector<JournalEntry> out;
    SQLite::Statement row(*reader_, "SELECT at, what FROM journal ORDER BY id DESC LIMIT ?");
    row.bind(1, most);
    while (row.executeStep())
        out.push_back({row.getColumn(0).getString(), row.getColumn(1).getString()});
    return out;
}

}  // namespace brusk::carfolder
