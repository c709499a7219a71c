// The formats of car.sqlite: 1 and 2 rounds and flashes, 3 edits, 4 what the stations after Base need.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/carfolder/Schema.h"

#include <SQLiteCpp/SQLiteCpp.h>
#include <zlib.h>

#include "core/base/Text.h"

namespace brusk::carfolder {

// Tables that came with format 2: a flash and how it ended; the pieces of a read that is not finished.
#define BRUSK_FORMAT_2_TABLES                                                                                      \
    "CREATE TABLE flash(id INTEGER PRIMARY KEY, round INTEGER NOT NULL REFERENCES round(id), scope TEXT NOT NULL," \
    " sectors INTEGER NOT NULL, begun_at TEXT NOT NULL, ended_at TEXT NOT NULL DEFAULT '',"                        \
    " outcome TEXT NOT NULL DEFAULT '', overridden TEXT NOT NULL DEFAULT '');"                                     \
    "CREATE TABLE read_piece(start INTEGER PRIMARY KEY, bytes BLOB NOT NULL);"

// Format 3: what was edited on a draft, step by step, for undo after the program was closed or died.
#define BRUSK_FORMAT_3_TABLES                                                                                    \
    "CREATE TABLE edit(id INTEGER PRIMARY KEY, round INTEGER NOT NULL REFERENCES round(id), name TEXT NOT NULL," \
    " changes BLOB NOT NULL, done INTEGER NOT NULL DEFAULT 1);"                                                  \
    "CREATE INDEX edit_round ON edit(round, done, id);"

// Format 4. A recording may belong to no round, and says on what sheet, definition and channels it was driven, and in
// what conditions; it is in the ledger from its first block on (state 0: growing, 1: whole, 2: recovered). An image is
// named by areas too, so that a part of a read binds the same drives as the whole.
#define BRUSK_FORMAT_4_RECORDING                                                                                    \
    "CREATE TABLE recording(id INTEGER PRIMARY KEY, round INTEGER REFERENCES round(id), file TEXT NOT NULL UNIQUE," \
    " title TEXT NOT NULL, started_at TEXT NOT NULL, duration_s REAL NOT NULL, samples INTEGER NOT NULL,"           \
    " gaps INTEGER NOT NULL, state INTEGER NOT NULL DEFAULT 1, image_sha256 TEXT NOT NULL DEFAULT '',"              \
    " definition_sha256 TEXT NOT NULL DEFAULT '', channels_sha256 TEXT NOT NULL DEFAULT '',"                        \
    " sheet INTEGER REFERENCES sheet(version), conditions TEXT NOT NULL DEFAULT '');"
#define BRUSK_FORMAT_4_TABLES                                                                                    \
    "CREATE TABLE sheet(version INTEGER PRIMARY KEY, at TEXT NOT NULL, facts TEXT NOT NULL);"                    \
    "CREATE TABLE area(image TEXT NOT NULL REFERENCES image(sha256) ON DELETE CASCADE, name TEXT NOT NULL,"      \
    " sha256 TEXT NOT NULL, PRIMARY KEY(image, name)) WITHOUT ROWID;"                                            \
    "CREATE INDEX area_sha256 ON area(name, sha256);"                                                            \
    "CREATE TABLE mark(id INTEGER PRIMARY KEY, recording INTEGER NOT NULL REFERENCES recording(id) ON DELETE"    \
    " CASCADE, at_s REAL NOT NULL, kind TEXT NOT NULL, text TEXT NOT NULL);"                                     \
    "CREATE TABLE stretch(id INTEGER PRIMARY KEY, recording INTEGER NOT NULL REFERENCES recording(id) ON DELETE" \
    " CASCADE, from_s REAL NOT NULL, to_s REAL NOT NULL, text TEXT NOT NULL);"                                   \
    "CREATE TABLE finding(recording INTEGER NOT NULL REFERENCES recording(id) ON DELETE CASCADE,"                \
    " made_by TEXT NOT NULL, found TEXT NOT NULL, PRIMARY KEY(recording, made_by));"                             \
    "CREATE TABLE sensor(name TEXT PRIMARY KEY, scaling TEXT NOT NULL) WITHOUT ROWID;"

// What format 4 adds to a round and an image: the sheet it was made on, why it was made, what came of its promise;
// how an image's bytes are sealed ('' when they lie open).
#define BRUSK_FORMAT_4_OF_ROUND \
    " sheet INTEGER REFERENCES sheet(version), reason TEXT NOT NULL DEFAULT '', came TEXT NOT NULL DEFAULT ''"

const char* const kSchema = R"sql(
CREATE TABLE setting(key TEXT PRIMARY KEY, value TEXT NOT NULL) WITHOUT ROWID;
CREATE TABLE image(sha256 TEXT PRIMARY KEY, bytes BLOB NOT NULL, sealed TEXT NOT NULL DEFAULT '') WITHOUT ROWID;
CREATE TABLE round(
  id INTEGER PRIMARY KEY,
  number INTEGER NOT NULL UNIQUE,
  parent INTEGER REFERENCES round(id),
  title TEXT NOT NULL,
  note TEXT NOT NULL,
  created_at TEXT NOT NULL,
  flashed_at TEXT NOT NULL DEFAULT '',
  image_sha256 TEXT NOT NULL REFERENCES image(sha256),
  state INTEGER NOT NULL,
  fuel_error REAL,
  rights TEXT NOT NULL DEFAULT '',)sql" BRUSK_FORMAT_4_OF_ROUND R"sql();
CREATE TABLE sector(start INTEGER PRIMARY KEY, length INTEGER NOT NULL, sha256 TEXT NOT NULL,
  step INTEGER NOT NULL DEFAULT 3);
)sql" BRUSK_FORMAT_2_TABLES BRUSK_FORMAT_3_TABLES BRUSK_FORMAT_4_RECORDING BRUSK_FORMAT_4_TABLES R"sql(
CREATE TABLE journal(id INTEGER PRIMARY KEY, at TEXT NOT NULL, what TEXT NOT NULL);
CREATE TRIGGER original_is_kept BEFORE UPDATE OF image_sha256, state, number ON round WHEN OLD.number = 0
  BEGIN SELECT RAISE(ABORT, 'the original is never changed'); END;
CREATE TRIGGER original_stays BEFORE DELETE ON round WHEN OLD.number = 0
  BEGIN SELECT RAISE(ABORT, 'the original is never removed'); END;
)sql";

namespace {

const char* const kFrom1To2 = R"sql(
ALTER TABLE round ADD COLUMN rights TEXT NOT NULL DEFAULT '';
ALTER TABLE sector ADD COLUMN step INTEGER NOT NULL DEFAULT 3;
)sql" BRUSK_FORMAT_2_TABLES;

// The sheet that a folder had so far is the one all its rounds and recordings were made on: nobody knows better.
const char* const kFrom3To4 = BRUSK_FORMAT_4_TABLES R"sql(
ALTER TABLE image ADD COLUMN sealed TEXT NOT NULL DEFAULT '';
ALTER TABLE round ADD COLUMN sheet INTEGER REFERENCES sheet(version);
ALTER TABLE round ADD COLUMN reason TEXT NOT NULL DEFAULT '';
ALTER TABLE round ADD COLUMN came TEXT NOT NULL DEFAULT '';
INSERT INTO sheet(version, at, facts)
  SELECT 1, strftime('%Y-%m-%dT%H:%M:%SZ', 'now'), value FROM setting WHERE key = 'build_sheet' AND value <> '';
DELETE FROM setting WHERE key = 'build_sheet';
UPDATE round SET sheet = (SELECT MAX(version) FROM sheet);
ALTER TABLE recording RENAME TO recording_3;
)sql" BRUSK_FORMAT_4_RECORDING R"sql(
INSERT INTO recording(id, round, file, title, started_at, duration_s, samples, gaps, image_sha256, sheet)
  SELECT r.id, r.round, r.file, r.title, r.started_at, r.duration_s, r.samples, r.gaps,
         (SELECT image_sha256 FROM round WHERE round.id = r.round), (SELECT MAX(version) FROM sheet)
  FROM recording_3 r;
DROP TABLE recording_3;
)sql";

}  // namespace

Done migrate(SQLite::Database& db, storage::FileSystem& files, const storage::Path& folder, int version) {
    // A copy of the old format stays beside it, made by the database itself so that nothing of its log is missed. It
    // has its name when it is whole.
    const storage::Path copy = folder / ("car.format" + std::to_string(version) + ".sqlite");
    if (!files.exists(copy)) {
        storage::Path making = copy;
        making += kMaking;
        if (auto done = files.remove(making); !done) return done;
        SQLite::Statement keep(db, "VACUUM INTO ?");
        keep.bind(1, making.string());
        keep.exec();
        if (auto done = files.move(making, copy); !done) return done;
    }
    // A table that others refer to is made anew: what they refer to is looked at when all is done. And the renamed
    // one must not drag the references of others along.
    db.exec("PRAGMA foreign_keys = OFF; PRAGMA legacy_alter_table = ON");
    SQLite::Transaction transaction(db, SQLite::TransactionBehavior::IMMEDIATE);
    if (version < 2) db.exec(kFrom1To2);
    if (version < 3) db.exec(BRUSK_FORMAT_3_TABLES);
    if (version < 4) db.exec(kFrom3To4);
    db.exec("PRAGMA user_version = " + std::to_string(kSchemaVersion));
    transaction.commit();
    db.exec("PRAGMA legacy_alter_table = OFF");
    return {};
}

namespace {
constexpr uint64_t kLargest = uint64_t{1} << 30;

/// Each run as address, length, bytes.
Bytes serialised(const image::Image& image) {
    Bytes plain;
    plain.reserve(image.size() + 64);
    const auto put32 = [&](uint32_t v) {
        plain.resize(plain.size() + 4);
        storeUnsigned(plain.data() + plain.size() - 4, 4, ByteOrder::LittleEndian, v);
    };
    for (const image::Segment& segment : image.segments()) {
        put32(segment.start);
        put32(static_cast<uint32_t>(segment.bytes.size()));
        plain.insert(plain.end(), segment.bytes.begin(), segment.bytes.end());
    }
    return plain;
}

}  // namespace

std::string imageFingerprint(const image::Image& image) {
    return sha256Hex(serialised(image));
}

Bytes packImage(const image::Image& image) {
    const Bytes plain = serialised(image);
    uLongf size = compressBound(plain.size());
    Bytes out(8 + size);
    storeUnsigned(out.data(), 8, ByteOrder::LittleEndian, plain.size());
    compress2(out.data() + 8, &size, plain.data(), plain.size(), 1);
    out.resize(8 + size);
    return out;
}

Result<image::Image> unpackImage(ByteSpan packed) {
    const ByteView head(packed);
    const auto plainSize = head.u64(0);
    // Deflate makes at most 1,032 bytes of one: what claims more is not believed, and takes no memory.
    if (!plainSize || *plainSize > kLargest || *plainSize / 1100 > packed.size())
        return fail(ErrorCode::BadInput, "A stored image is damaged.");
    Bytes plain(*plainSize);
    uLongf size = plain.size();
    if (uncompress(plain.data(), &size, packed.data() + 8, packed.size() - 8) != Z_OK || size != plain.size())
        return fail(ErrorCode::BadInput, "A stored image is damaged.");
    image::Image image;
    const ByteView view(plain);
    for (uint64_t at = 0; at < plain.size();) {
        const auto start = view.u32(at);
        const auto length = view.u32(at + 4);
        const auto bytes = length ? view.slice(at + 8, *length) : std::nullopt;
        if (!start || !bytes) return fail(ErrorCode::BadInput, "A stored image is damaged.");
        if (auto done = image.add(static_cast<uint32_t>(*start), *bytes); !done) return tl::unexpected(done.error());
        at += 8 + *length;
    }
    return image;
}

Bytes packChanges(const std::vector<calibration::ByteChange>& changes) {
    Bytes out;
    const auto put32 = [&](uint64_t v) {
        out.resize(out.size() + 4);
        storeUnsigned(out.data() + out.size() - 4, 4, ByteOrder::LittleEndian, v);
    };
    for (const calibration::ByteChange& change : changes) {
        put32(change.address);
        put32(change.after.size());
        out.insert(out.end(), change.before.begin(), change.before.end());
        out.insert(out.end(), change.after.begin(), change.after.end());
    }
    return out;
}

Result<std::vector<calibration::ByteChange>> unpackChanges(ByteSpan packed) {
    std::vector<calibration::ByteChange> out;
    const ByteView view(packed);
    for (uint64_t at = 0; at < packed.size();) {
        const auto address = view.u32(at), size = view.u32(at + 4);
        const auto before = size ? view.slice(at + 8, *size) : std::nullopt;
        const auto after = before ? view.slice(at + 8 + *size, *size) : std::nullopt;
        if (!after) return fail(ErrorCode::BadInput, "A stored edit is damaged.");
        out.push_back({static_cast<uint32_t>(*address), Bytes(before->begin(), before->end()),
                       Bytes(after->begin(), after->end())});
        at += 8 + 2 * *size;
    }
    return out;
}

}  // namespace brusk::carfolder
