// Small statements that several parts of the car folder write in their transactions. Throws what the database's library
// throws; used below Database only.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <SQLiteCpp/SQLiteCpp.h>

#include <string>

#include "core/carfolder/Database.h"

namespace brusk::carfolder {

inline void writeJournal(SQLite::Database& db, const std::string& what) {
    SQLite::Statement insert(db, "INSERT INTO journal(at, what) VALUES (?, ?)");
    insert.bind(1, utcNow());
    insert.bind(2, what);
    insert.exec();
}

inline ByteSpan blobOf(const SQLite::Column& column) {
    return {static_cast<const uint8_t*>(column.getBlob()), static_cast<size_t>(column.getBytes())};
}

/// Binds a row's number, or nothing when it is 0.
inline void bindNumberOrNull(SQLite::Statement& statement, int index, int64_t number) {
    if (number)
        statement.bind(index, number);
    else
        statement.bind(index);
}

/// The newest version of the build sheet; 0: none.
inline int64_t newestSheetVersion(SQLite::Database& db) {
    return db.execAndGet("SELECT COALESCE(MAX(version), 0) FROM sheet").getInt64();
}

}  // namespace brusk::carfolder
