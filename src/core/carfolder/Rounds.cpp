// The tables `round`, `image`, `area` and `edit`.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/carfolder/Rounds.h"

#include <algorithm>
#include <map>

#include "core/base/Say.h"
#include "core/base/Text.h"
#include "core/carfolder/Schema.h"
#include "core/carfolder/Statements.h"
#include "core/image/ImageFile.h"

namespace brusk::carfolder {
namespace {

constexpr const char* kRoundColumns =
    "SELECT r.id, r.number, r.parent, r.title, r.note, r.created_at, r.flashed_at, r.image_sha256, r.state, "
    "r.fuel_error, (SELECT COUNT(*) FROM recording WHERE recording.round = r.id), r.rights, COALESCE(r.sheet, 0), "
    "r.reason, r.came, CASE WHEN r.rights = '' THEN '' ELSE (SELECT sealed FROM image WHERE image.sha256 = "
    "r.image_sha256) END FROM round r ";

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
    out.state =
        static_cast<RoundState>(std::clamp(row.getColumn(8).getInt(), 0, static_cast<int>(RoundState::GivenOut)));
    if (!row.getColumn(9).isNull()) out.fuelError_pct = row.getColumn(9).getDouble();
    out.recordings = row.getColumn(10).getInt();
    out.rights = row.getColumn(11).getString();
    out.sheet = row.getColumn(12).getInt64();
    out.reason = row.getColumn(13).getString();
    out.came = row.getColumn(14).getString();
    out.sealed = !row.getColumn(15).getString().empty();
    return out;
}

template <class... Values>
std::optional<Round> oneRound(SQLite::Database& db, const std::string& where, const Values&... values) {
    SQLite::Statement row(db, kRoundColumns + where);
    int index = 0;
    (row.bind(++index, values), ...);
    if (!row.executeStep()) return std::nullopt;
    return roundOf(row);
}

Result<Round> existing(SQLite::Database& db, int64_t id) {
    if (auto round = oneRound(db, "WHERE r.id = ?", id)) return std::move(*round);
    return fail(ErrorCode::NotFound, "The ledger has no such round.");
}

Done onlyADraft(SQLite::Database& db, int64_t id) {
    const auto round = existing(db, id);
    if (!round) return tl::unexpected(round.error());
    if (round->state != RoundState::Draft)
        return fail(ErrorCode::Refused, "Only a draft can be edited; round " + std::to_string(round->number) +
                                            " is none any more. Edits of it begin a new round.");
    return {};
}

Done sameBytes(const Round& round, const std::string& sha256) {
    if (round.imageSha256 == sha256) return {};
    return fail(ErrorCode::Conflict, "Round " + std::to_string(round.number) +
                                         " was changed while it was being flashed. Look at it, then flash again.");
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

/// What a new round is made of.
struct NewRound {
    std::string title;
    std::string note;
    std::string reason = {};
};

int64_t insertRound(SQLite::Database& db, int number, std::optional<int64_t> parent, const NewRound& made,
                    const std::string& sha, RoundState state) {
    SQLite::Statement insert(db,
                             "INSERT INTO round(number, parent, title, note, created_at, image_sha256, state, sheet, "
                             "reason) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)");
    insert.bind(1, number);
    bindNumberOrNull(insert, 2, parent.value_or(0));
    insert.bind(3, made.title);
    insert.bind(4, made.note);
    insert.bind(5, utcNow());
    insert.bind(6, sha);
    insert.bind(7, static_cast<int>(state));
    bindNumberOrNull(insert, 8, newestSheetVersion(db));
    insert.bind(9, made.reason);
    insert.exec();
    return db.getLastInsertRowid();
}

void keepAreas(SQLite::Database& db, const std::string& image, const std::map<std::string, std::string>& shas) {
    SQLite::Statement insert(db, "INSERT OR REPLACE INTO area(image, name, sha256) VALUES (?, ?, ?)");
    for (const auto& [name, sha] : shas) {
        insert.bind(1, image);
        insert.bind(2, name);
        insert.bind(3, sha);
        insert.exec();
        insert.reset();
    }
}

void setState(SQLite::Database& db, int64_t id, RoundState state) {
    // What is no draft stays what it is.
    SQLite::Statement fix(db, "UPDATE round SET state = ? WHERE id = ? AND state = ?");
    fix.bind(1, static_cast<int>(state));
    fix.bind(2, id);
    fix.bind(3, static_cast<int>(RoundState::Draft));
    fix.exec();
}

}  // namespace

const char* stateName(RoundState state) {
    constexpr const char* names[] = {"original", "draft", "fixed", "given-out"};
    return names[static_cast<int>(state)];
}

Result<std::vector<Round>> Rounds::all() const {
    return database_.read("list its rounds", [](SQLite::Database& db) -> Result<std::vector<Round>> {
        std::vector<Round> out;
        SQLite::Statement row(db, std::string(kRoundColumns) + "ORDER BY r.number DESC");
        while (row.executeStep())
            out.push_back(roundOf(row));
        return out;
    });
}

Result<Round> Rounds::byId(int64_t id) const {
    return database_.read("look up a round", [&](SQLite::Database& db) { return existing(db, id); });
}

Result<Round> Rounds::byNumber(int number) const {
    return database_.read("look up a round", [&](SQLite::Database& db) -> Result<Round> {
        if (auto round = oneRound(db, "WHERE r.number = ?", number)) return std::move(*round);
        return fail(ErrorCode::NotFound, "The ledger has no round " + std::to_string(number) + ".");
    });
}

Result<std::optional<Round>> Rounds::original() const {
    return database_.read("look up the original", [](SQLite::Database& db) -> Result<std::optional<Round>> {
        return oneRound(db, "WHERE r.number = 0");
    });
}

Result<std::optional<Round>> Rounds::ofImage(const std::string& sha256) const {
    return database_.read("look up a round by its bytes", [&](SQLite::Database& db) -> Result<std::optional<Round>> {
        return oneRound(db,
                        "WHERE r.image_sha256 = ?1 OR r.image_sha256 IN (SELECT image FROM area WHERE name = "
                        "'calibration' AND sha256 = ?1) ORDER BY r.flashed_at DESC, r.number LIMIT 1",
                        sha256);
    });
}

Result<Bytes> Rounds::stored(int64_t id, bool& sealed) const {
    return database_.read("load an image", [&](SQLite::Database& db) -> Result<Bytes> {
        SQLite::Statement row(db,
                              "SELECT image.bytes, image.sealed FROM round JOIN image ON image.sha256 = "
                              "round.image_sha256 WHERE round.id = ?");
        row.bind(1, id);
        if (!row.executeStep()) return fail(ErrorCode::NotFound, "The ledger has no image for this round.");
        sealed = !row.getColumn(1).getString().empty();
        const auto column = row.getColumn(0);
        const ByteSpan bytes = blobOf(column);
        return Bytes(bytes.begin(), bytes.end());
    });
}

Result<std::shared_ptr<const image::Image>> Rounds::image(int64_t id) const {
    bool sealed = false;
    // Unpacked after the database was left: it takes longer than looking.
    const auto packed = stored(id, sealed);
    if (!packed) return tl::unexpected(packed.error());
    if (sealed)
        return refuse("not-allowed", say("round.sealed",
                                         "This round came sealed: it may be flashed, but its values are not shown, "
                                         "compared, exported or kept."));
    auto image = unpackImage(*packed);
    if (!image) return tl::unexpected(image.error());
    return std::make_shared<const image::Image>(std::move(*image));
}

Result<Bytes> Rounds::sealedFile(int64_t id) const {
    bool sealed = false;
    auto file = stored(id, sealed);
    if (!file || sealed) return file;
    return fail(ErrorCode::NotFound, say("round.not-sealed", "This round did not come sealed."));
}

void Rounds::openSealedBy(Opener opener) {
    const std::lock_guard lock(openerMutex_);
    opener_ = std::move(opener);
}

Result<Rounds::Unsealed> Rounds::unsealed(int64_t id, ByteSpan file) const {
    Opener opener;
    {
        const std::lock_guard lock(openerMutex_);
        opener = opener_;
    }
    if (!opener)
        return refuse("not-allowed",
                      say("round.no-opener", "This round came sealed; the key it was sealed to is not open here."));
    auto out = opener(file);
    if (!out) return out;
    const auto round = byId(id);
    if (!round) return tl::unexpected(round.error());
    if (round->rights != out->rights)
        return refuse("altered", say("round.rights-altered",
                                     "What the ledger says may be done with this round is not what its seal says. "
                                     "Nothing is done with it; open the sealed file once more."));
    return out;
}

Result<std::shared_ptr<const image::Image>> Rounds::imageForCar(int64_t id) const {
    bool sealed = false;
    const auto file = stored(id, sealed);
    if (!file) return tl::unexpected(file.error());
    if (!sealed) return image(id);
    auto opened = unsealed(id, *file);
    if (!opened) return tl::unexpected(opened.error());
    return std::make_shared<const image::Image>(std::move(opened->image));
}

Result<std::shared_ptr<const image::Image>> Rounds::imageToShow(int64_t id) const {
    bool sealed = false;
    const auto file = stored(id, sealed);
    if (!file) return tl::unexpected(file.error());
    auto opened = sealed ? unsealed(id, *file) : Result<Unsealed>(Unsealed{});
    if (!sealed || (opened && !opened->mayBeSeen)) return image(id);
    if (!opened) return tl::unexpected(opened.error());
    return std::make_shared<const image::Image>(std::move(opened->image));
}

Result<Round> Rounds::addSealed(int64_t parent, const Sealed& sealed) {
    return database_.write("keep a sealed round", [&](SQLite::Database& db) -> Result<Round> {
        const auto before = oneRound(db,
                                     "JOIN image i ON i.sha256 = r.image_sha256 WHERE r.image_sha256 = ? AND i.sealed "
                                     "<> '' ORDER BY r.number LIMIT 1",
                                     sealed.imageSha256);
        if (before) {
            SQLite::Statement file(db, "UPDATE image SET bytes = ? WHERE sha256 = ?");
            file.bindNoCopy(1, sealed.file.data(), static_cast<int>(sealed.file.size()));
            file.bind(2, sealed.imageSha256);
            file.exec();
            SQLite::Statement update(db, "UPDATE round SET rights = ?, title = ?, note = ? WHERE image_sha256 = ?");
            update.bind(1, sealed.rights);
            update.bind(2, sealed.title);
            update.bind(3, sealed.note);
            update.bind(4, sealed.imageSha256);
            update.exec();
            writeJournal(db, "Round " + std::to_string(before->number) + " came sealed anew: " + sealed.title);
            return existing(db, before->id);
        }
        // Where the same bytes lie open already, sealing them hides nothing: they stay as they are.
        SQLite::Statement image(db, "INSERT OR IGNORE INTO image(sha256, bytes, sealed) VALUES (?, ?, '1')");
        image.bind(1, sealed.imageSha256);
        image.bindNoCopy(2, sealed.file.data(), static_cast<int>(sealed.file.size()));
        image.exec();
        keepAreas(db, sealed.imageSha256, sealed.shas);
        const int number = db.execAndGet("SELECT COALESCE(MAX(number), -1) + 1 FROM round").getInt();
        const int64_t id =
            insertRound(db, number, parent, {sealed.title, sealed.note}, sealed.imageSha256, RoundState::Fixed);
        SQLite::Statement rights(db, "UPDATE round SET rights = ? WHERE id = ?");
        rights.bind(1, sealed.rights);
        rights.bind(2, id);
        rights.exec();
        writeJournal(db, "Round " + std::to_string(number) + " came sealed: " + sealed.title);
        return existing(db, id);
    });
}

Result<Round> Rounds::storeOriginal(const image::Image& image, const std::string& text) {
    const auto have = original();
    if (!have) return tl::unexpected(have.error());
    if (*have) return fail(ErrorCode::Refused, "This car folder has its original already; it is never overwritten.");
    const auto hex = image::writeImage(image, image::Format::IntelHex);
    if (!hex) return tl::unexpected(hex.error());
    const storage::Path path = folder_ / "original.hex";
    // A program that died between the file and the ledger left the file: the same bytes are ours, others are kept.
    if (const auto left = files_.read(path); !left || *left != *hex) {
        if (left)
            if (auto done = files_.move(path, files_.freeName(folder_, "original-of-a-read-that-was-cut-off", ".hex"));
                !done)
                return tl::unexpected(done.error());
        if (auto done = files_.save(path, *hex); !done) return tl::unexpected(done.error());
    }
    if (auto done = files_.makeReadOnly(path); !done) return tl::unexpected(done.error());
    return database_.write("keep the original", [&](SQLite::Database& db) -> Result<Round> {
        const int64_t made =
            insertRound(db, 0, std::nullopt, {"Original", text}, storeImage(db, image), RoundState::Original);
        writeJournal(db, "Original kept");
        return existing(db, made);
    });
}

Result<Round> Rounds::add(int64_t parent, const image::Image& image, const std::string& title, const std::string& note,
                          const std::string& reason) {
    return database_.write("add a round", [&](SQLite::Database& db) -> Result<Round> {
        const std::string sha = storeImage(db, image);
        const int number = db.execAndGet("SELECT COALESCE(MAX(number), -1) + 1 FROM round").getInt();
        const int64_t id = insertRound(db, number, parent, {title, note, reason}, sha, RoundState::Draft);
        // What another round was built on is not edited any more.
        setState(db, parent, RoundState::Fixed);
        writeJournal(db, "Round " + std::to_string(number) + " made: " + title);
        return existing(db, id);
    });
}

Done Rounds::updateDraft(int64_t id, const image::Image& image) {
    return database_.write("save the draft", [&](SQLite::Database& db) -> Done {
        if (auto done = onlyADraft(db, id); !done) return done;
        const std::string before = existing(db, id)->imageSha256;
        const std::string sha = storeImage(db, image);
        SQLite::Statement update(db, "UPDATE round SET image_sha256 = ? WHERE id = ?");
        update.bind(1, sha);
        update.bind(2, id);
        update.exec();
        SQLite::Statement tidy(db,
                               "DELETE FROM image WHERE sha256 = ? AND sha256 NOT IN (SELECT image_sha256 FROM round)");
        tidy.bind(1, before);
        tidy.exec();
        return {};
    });
}

Done Rounds::fix(int64_t id, const std::string& sha256) {
    return database_.write("fix the round", [&](SQLite::Database& db) -> Done {
        const auto round = existing(db, id);
        if (!round) return tl::unexpected(round.error());
        if (auto done = sameBytes(*round, sha256); !done) return done;
        setState(db, id, RoundState::Fixed);
        return {};
    });
}

Done Rounds::markFlashed(int64_t id, const std::string& sha256) {
    const auto step = [&](SQLite::Database& db) -> Done {
        const auto round = existing(db, id);
        if (!round) return tl::unexpected(round.error());
        if (auto done = sameBytes(*round, sha256); !done) return done;
        SQLite::Statement update(db, "UPDATE round SET flashed_at = ? WHERE id = ?");
        update.bind(1, utcNow());
        update.bind(2, id);
        update.exec();
        setState(db, id, RoundState::Fixed);
        return {};
    };
    return database_.write("note the flash", step, Patience::WhileItWaits);
}

Done Rounds::writeText(int64_t id, const char* what, const char* column, const std::string& text) {
    return database_.write(what, [&](SQLite::Database& db) -> Done {
        SQLite::Statement update(db, std::string("UPDATE round SET ") + column + " = ? WHERE id = ?");
        update.bind(1, text);
        update.bind(2, id);
        return update.exec() ? Done() : Done(fail(ErrorCode::NotFound, "The ledger has no such round."));
    });
}

Done Rounds::rename(int64_t id, const std::string& title, const std::string& text) {
    if (auto done = writeText(id, "rename the round", "title", title); !done) return done;
    return writeText(id, "rename the round", "note", text);
}

Done Rounds::setRights(int64_t id, const std::string& rights) {
    return writeText(id, "keep the rights", "rights", rights);
}

Done Rounds::giveOut(int64_t id, const std::string& sha256, const std::string& how) {
    return database_.write("give the round out", [&](SQLite::Database& db) -> Done {
        const auto round = existing(db, id);
        if (!round) return tl::unexpected(round.error());
        if (round->imageSha256 != sha256)
            return fail(ErrorCode::Conflict, say("round.changed-meanwhile",
                                                 "Round {0} was changed while it was given out: the file holds what it "
                                                 "was before. Give it out once more.",
                                                 {std::to_string(round->number)}));
        setState(db, id, RoundState::GivenOut);
        writeJournal(db, "Round " + std::to_string(round->number) + " was " + how);
        return {};
    });
}

Done Rounds::setReason(int64_t id, const std::string& reason) {
    return writeText(id, "keep why the round was made", "reason", reason);
}

Done Rounds::setCame(int64_t id, const std::string& came) {
    return writeText(id, "keep what came of a round", "came", came);
}

Done Rounds::setFuelError(int64_t id, double percent) {
    return database_.write("keep the fuel error", [&](SQLite::Database& db) -> Done {
        SQLite::Statement update(db, "UPDATE round SET fuel_error = ? WHERE id = ?");
        update.bind(1, percent);
        update.bind(2, id);
        update.exec();
        return {};
    });
}

Done Rounds::addEdit(int64_t id, const calibration::Edit& edit) {
    return database_.write("keep an edit", [&](SQLite::Database& db) -> Done {
        if (auto done = onlyADraft(db, id); !done) return done;
        SQLite::Statement forget(db, "DELETE FROM edit WHERE round = ? AND done = 0");
        forget.bind(1, id);
        forget.exec();
        const Bytes changes = packChanges(edit.changes);
        SQLite::Statement insert(db, "INSERT INTO edit(round, name, changes) VALUES (?, ?, ?)");
        insert.bind(1, id);
        insert.bind(2, edit.name);
        insert.bindNoCopy(3, changes.data(), static_cast<int>(changes.size()));
        insert.exec();
        return {};
    });
}

Done Rounds::editUndone(int64_t id) {
    return database_.write("undo an edit", [&](SQLite::Database& db) -> Done {
        if (auto done = onlyADraft(db, id); !done) return done;
        SQLite::Statement update(
            db, "UPDATE edit SET done = 0 WHERE id = (SELECT MAX(id) FROM edit WHERE round = ? AND done = 1)");
        update.bind(1, id);
        update.exec();
        return {};
    });
}

Done Rounds::editRedone(int64_t id) {
    return database_.write("redo an edit", [&](SQLite::Database& db) -> Done {
        if (auto done = onlyADraft(db, id); !done) return done;
        SQLite::Statement update(
            db, "UPDATE edit SET done = 1 WHERE id = (SELECT MIN(id) FROM edit WHERE round = ? AND done = 0)");
        update.bind(1, id);
        update.exec();
        return {};
    });
}

Result<calibration::EditHistory> Rounds::edits(int64_t id) const {
    return database_.read("load the edits", [&](SQLite::Database& db) -> Result<calibration::EditHistory> {
        std::vector<calibration::Edit> done, undone;
        SQLite::Statement row(db, "SELECT name, changes, done FROM edit WHERE round = ? ORDER BY id");
        row.bind(1, id);
        while (row.executeStep()) {
            auto changes = unpackChanges(blobOf(row.getColumn(1)));
            if (!changes) return tl::unexpected(changes.error());
            (row.getColumn(2).getInt() ? done : undone)
                .push_back({row.getColumn(0).getString(), std::move(*changes), 0});
        }
        // The edit that was undone last is the first to be redone.
        std::reverse(undone.begin(), undone.end());
        return calibration::EditHistory(std::move(done), std::move(undone));
    });
}

Done Rounds::recoverDrafts() {
    const auto rounds = all();
    if (!rounds) return tl::unexpected(rounds.error());
    for (const Round& round : *rounds) {
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

std::string sectorName(const image::Sector& sector) {
    return kSectorName + hexAddress(sector.start);
}

std::map<std::string, std::string> areaShas(const image::Image& image, const std::vector<NamedArea>& areas) {
    std::map<std::string, std::string> out;
    for (const NamedArea& area : areas) {
        const auto held = image.bytes(area.start, area.length);
        if (!held) continue;
        std::string& sha = out[area.name];
        const bool more = !sha.empty();
        sha += sha256Hex(*held);
        if (more) sha = sha256Hex(asBytes(sha));
    }
    return out;
}

Done Rounds::nameAreas(int64_t id, const std::vector<NamedArea>& areas) {
    const auto bytes = image(id);
    if (!bytes) return tl::unexpected(bytes.error());
    const auto shas = areaShas(**bytes, areas);
    return database_.write("name the parts of an image", [&](SQLite::Database& db) -> Done {
        const auto round = existing(db, id);
        if (!round) return tl::unexpected(round.error());
        keepAreas(db, round->imageSha256, shas);
        return {};
    });
}

Result<std::vector<std::pair<std::string, std::string>>> Rounds::areas(int64_t id) const {
    using Areas = std::vector<std::pair<std::string, std::string>>;
    return database_.read("look up the parts of an image", [&](SQLite::Database& db) -> Result<Areas> {
        SQLite::Statement row(db,
                              "SELECT area.name, area.sha256 FROM round JOIN area ON area.image = round.image_sha256 "
                              "WHERE round.id = ? ORDER BY area.name");
        row.bind(1, id);
        Areas out;
        while (row.executeStep())
            out.emplace_back(row.getColumn(0).getString(), row.getColumn(1).getString());
        return out;
    });
}

}  // namespace brusk::carfolder
