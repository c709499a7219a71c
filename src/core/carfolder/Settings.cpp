// The tables `setting` and `sheet`.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/carfolder/Settings.h"

#include <SQLiteCpp/SQLiteCpp.h>

namespace brusk::carfolder {
namespace {

SheetVersion sheetOf(SQLite::Statement& row) {
    return {row.getColumn(0).getInt64(), row.getColumn(1).getString(), row.getColumn(2).getString()};
}

SheetVersion newestSheet(SQLite::Database& db) {
    SQLite::Statement row(db, "SELECT version, at, facts FROM sheet ORDER BY version DESC LIMIT 1");
    return row.executeStep() ? sheetOf(row) : SheetVersion{};
}

}  // namespace

Result<std::string> Settings::get(const std::string& key) const {
    return database_.read("look up a setting", [&](SQLite::Database& db) -> Result<std::string> {
        SQLite::Statement row(db, "SELECT value FROM setting WHERE key = ?");
        row.bind(1, key);
        return row.executeStep() ? row.getColumn(0).getString() : std::string();
    });
}

Done Settings::set(const std::string& key, const std::string& value) {
    return database_.write("keep a setting", [&](SQLite::Database& db) -> Done {
        SQLite::Statement insert(db, "INSERT OR REPLACE INTO setting(key, value) VALUES (?, ?)");
        insert.bind(1, key);
        insert.bind(2, value);
        insert.exec();
        return {};
    });
}

Result<SheetVersion> Settings::sheet() const {
    return database_.read("look up the build sheet",
                          [&](SQLite::Database& db) -> Result<SheetVersion> { return newestSheet(db); });
}

Result<SheetVersion> Settings::sheet(int64_t version) const {
    return database_.read("look up the build sheet", [&](SQLite::Database& db) -> Result<SheetVersion> {
        SQLite::Statement row(db, "SELECT version, at, facts FROM sheet WHERE version = ?");
        row.bind(1, version);
        if (!row.executeStep()) return fail(ErrorCode::NotFound, "The folder has no such version of the build sheet.");
        return sheetOf(row);
    });
}

Result<int64_t> Settings::keepSheet(const std::string& facts) {
    return database_.write("keep the build sheet", [&](SQLite::Database& db) -> Result<int64_t> {
        const SheetVersion newest = newestSheet(db);
        if (newest.version > 0 && newest.facts == facts) return newest.version;
        SQLite::Statement used(
            db,
            "SELECT EXISTS(SELECT 1 FROM round WHERE sheet = ?1) OR EXISTS(SELECT 1 FROM recording WHERE sheet = ?1)");
        used.bind(1, newest.version);
        const bool begins = newest.version == 0 || (used.executeStep() && used.getColumn(0).getInt() != 0);
        const int64_t version = newest.version + (begins ? 1 : 0);
        used.reset();
        SQLite::Statement insert(db, "INSERT OR REPLACE INTO sheet(version, at, facts) VALUES (?, ?, ?)");
        insert.bind(1, version);
        insert.bind(2, utcNow());
        insert.bind(3, facts);
        insert.exec();
        return version;
    });
}

}  // namespace brusk::carfolder
