// Connections, transactions, and what the database's library means when it throws.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/carfolder/Database.h"

#include <SQLiteCpp/SQLiteCpp.h>
#include <sqlite3.h>

#include <ctime>
#include <thread>

#include "core/carfolder/Schema.h"

namespace brusk::carfolder {
namespace {

constexpr int kBusy_ms = 2000;
constexpr std::chrono::minutes kWhileItWaits{10};

bool isBusy(int code) {
    return (code & 0xFF) == SQLITE_BUSY || (code & 0xFF) == SQLITE_LOCKED;
}

/// Whether the log's index could not be made: it has no room.
bool lacksRoom(const SQLite::Exception& problem) {
    const int code = problem.getExtendedErrorCode();
    return (code & 0xFF) == SQLITE_FULL || code == SQLITE_IOERR_SHMSIZE || code == SQLITE_IOERR_SHMMAP;
}

/// What is wrong with the file, for a person.
std::string reasonOf(const SQLite::Exception& problem) {
    if (lacksRoom(problem)) return "the disk is full";
    switch (problem.getErrorCode() & 0xFF) {
        case SQLITE_READONLY:
        case SQLITE_PERM:
            return "the folder is read-only";
        case SQLITE_BUSY:
        case SQLITE_LOCKED:
            return "another program holds its car.sqlite; close that one, then try again";
        case SQLITE_CORRUPT:
        case SQLITE_NOTADB:
            return "its car.sqlite is damaged; take it from a backup, the recordings beside it are not touched";
        case SQLITE_CANTOPEN:
            return "its car.sqlite can't be opened; was the folder moved or deleted?";
        case SQLITE_IOERR:
            return "the disk failed under its car.sqlite";
        default:
            return problem.getErrorStr();
    }
}

std::unique_ptr<SQLite::Database> connectTo(const std::string& name, int flags) {
    auto db = std::make_unique<SQLite::Database>(name, flags);
    db->setBusyTimeout(kBusy_ms);
    return db;
}

/// A connection for looking. In a folder that can't be written there may be no room for the log's index: the file is
/// then read as it lies, which is whole when it was closed well.
std::unique_ptr<SQLite::Database> lookingAt(const storage::Path& file) {
    try {
        auto db = connectTo(file.string(), SQLite::OPEN_READONLY);
        db->execAndGet("SELECT COUNT(*) FROM sqlite_master");
        return db;
    } catch (const SQLite::Exception& problem) {
        const int code = problem.getErrorCode() & 0xFF;
        if (code != SQLITE_CANTOPEN && code != SQLITE_READONLY && !lacksRoom(problem)) throw;
        return connectTo("file:" + file.string() + "?immutable=1", SQLite::OPEN_READONLY | SQLite::OPEN_URI);
    }
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

Database::Database(storage::FileSystem& files, storage::Path file, std::unique_ptr<SQLite::Database> reader,
                   std::unique_ptr<SQLite::Database> writer)
    : files_(files), file_(std::move(file)), reader_(std::move(reader)), writer_(std::move(writer)) {}

Database::~Database() {
    // The writer last: it puts what the log holds into the file, so that a folder at rest is one file.
    reader_.reset();
    writer_.reset();
}

Result<bool> Database::isEmpty(storage::FileSystem& files, const storage::Path& file) {
    if (!files.isFile(file)) return fail(ErrorCode::BadInput, "its " + file.filename().string() + " is not a file");
    if (files.stamp(file).size == 0) return true;
    try {
        SQLite::Database look(file.string(), SQLite::OPEN_READONLY);
        return look.execAndGet("SELECT COUNT(*) FROM sqlite_master").getInt() == 0 &&
               look.execAndGet("PRAGMA application_id").getInt() == 0;
    } catch (const SQLite::Exception&) {
        return false;  // opening it says what is wrong with it
    }
}

Done Database::copyTo(const storage::Path& file) const {
    return read("copy it", [&](SQLite::Database& db) -> Done {
        SQLite::Statement copy(db, "VACUUM INTO ?");
        copy.bind(1, file.string());
        copy.exec();
        return {};
    });
}

Done Database::make(storage::FileSystem& files, const storage::Path& file, const std::string& carName) {
    // Under another name first: who dies here leaves nothing that looks like a car folder.
    storage::Path making = file;
    making += kMaking;
    if (auto done = files.remove(making); !done) return done;
    try {
        SQLite::Database db(making.string(), SQLite::OPEN_READWRITE | SQLite::OPEN_CREATE);
        SQLite::Transaction transaction(db);
        db.exec(kSchema);
        db.exec("PRAGMA application_id = " + std::to_string(kApplicationId));
        db.exec("PRAGMA user_version = " + std::to_string(kSchemaVersion));
        SQLite::Statement name(db, "INSERT INTO setting(key, value) VALUES ('car_name', ?)");
        name.bind(1, carName);
        name.exec();
        transaction.commit();
    } catch (const SQLite::Exception& problem) {
        (void)files.remove(making);
        return fail(ErrorCode::Io,
                    "The car folder " + file.parent_path().string() + " could not be made: " + reasonOf(problem) + ".");
    }
    auto done = files.move(making, file);
    if (!done) (void)files.remove(making);
    return done;
}

Result<std::unique_ptr<Database>> Database::open(storage::FileSystem& files, const storage::Path& file, bool mayWrite) {
    const std::string folder = file.parent_path().string();
    const auto none = [&](const std::string& why) {
        return fail(ErrorCode::BadInput, folder + " is not a car folder: " + why + ". Nothing was changed.");
    };
    try {
        // Looked at without writing first, so that a foreign database is left as it is.
        auto reader = lookingAt(file);
        if (reader->execAndGet("PRAGMA application_id").getInt() != kApplicationId)
            return none("its car.sqlite belongs to another program");
        const int version = reader->execAndGet("PRAGMA user_version").getInt();
        if (version > kSchemaVersion)
            return fail(ErrorCode::Refused, folder + " was written by a newer Brusk (format " +
                                                std::to_string(version) + "); this one reads up to " +
                                                std::to_string(kSchemaVersion) + ". Nothing was changed.");
        if (version < 1) return none("its car.sqlite names no format");
        if (!mayWrite && version < kSchemaVersion)
            return fail(ErrorCode::Refused, folder + " is of an older format (" + std::to_string(version) +
                                                ") and can't be brought up to this one, because it may not be "
                                                "written. Copy the folder to where you may write, and open the copy.");
        if (!mayWrite) return std::unique_ptr<Database>(new Database(files, file, std::move(reader), nullptr));
        try {
            auto writer = connectTo(file.string(), SQLite::OPEN_READWRITE);
            writer->exec("PRAGMA journal_mode = WAL; PRAGMA synchronous = FULL;");
            if (version < kSchemaVersion)
                if (auto done = migrate(*writer, files, file.parent_path(), version); !done)
                    return tl::unexpected(done.error());
            writer->exec("PRAGMA foreign_keys = ON");
            // What was made on the way is seen by a connection that was opened after it.
            reader = lookingAt(file);
            return std::unique_ptr<Database>(new Database(files, file, std::move(reader), std::move(writer)));
        } catch (const SQLite::Exception& problem) {
            if (!lacksRoom(problem) || version < kSchemaVersion) throw;
            auto out = std::unique_ptr<Database>(new Database(files, file, std::move(reader), nullptr));
            out->setWhyNot("the disk is full, so the folder can only be looked at. Make room, then open it again.");
            return out;
        }
    } catch (const SQLite::Exception& problem) {
        const int code = problem.getErrorCode() & 0xFF;
        if (code == SQLITE_NOTADB) return none("its car.sqlite can't be read as a database");
        return fail(ErrorCode::Io, "The car folder " + folder + " could not be opened: " + reasonOf(problem) + ".");
    } catch (const std::exception& problem) {
        return fail(ErrorCode::Io, "The car folder " + folder + " could not be opened: " + problem.what() + ".");
    }
}

Done Database::guarded(const char* what, const std::function<void(SQLite::Database&)>& work) const {
    const std::lock_guard lock(readMutex_);
    try {
        work(*reader_);
        return {};
    } catch (const SQLite::Exception& problem) {
        return fail(ErrorCode::Io, std::string("The car folder could not ") + what + ": " + reasonOf(problem) + ".");
    } catch (const std::exception& problem) {
        return fail(ErrorCode::Io, std::string("The car folder could not ") + what + ": " + problem.what() + ".");
    }
}

Done Database::inTransaction(const char* what, const std::function<bool(SQLite::Database&)>& work, Patience patience) {
    const std::string could = std::string("The car folder could not ") + what + ": ";
    if (!writer_) return fail(ErrorCode::Refused, could + whyNot_);
    // What is written into a file without a name is lost with the program.
    if (!files_.exists(file_))
        return fail(ErrorCode::NotFound, could + "it is gone from " + file_.parent_path().string() +
                                             ". Was the folder moved or deleted? Open it where it is now.");
    const auto until = std::chrono::steady_clock::now() + kWhileItWaits;
    while (true) {
        {
            const std::lock_guard lock(writeMutex_);
            try {
                SQLite::Transaction transaction(*writer_, SQLite::TransactionBehavior::IMMEDIATE);
                if (work(*writer_)) transaction.commit();
                return {};
            } catch (const SQLite::Exception& problem) {
                const bool waits = patience == Patience::WhileItWaits && isBusy(problem.getErrorCode()) &&
                                   std::chrono::steady_clock::now() < until;
                if (!waits) return fail(ErrorCode::Io, could + reasonOf(problem) + ".");
            } catch (const std::exception& problem) {
                return fail(ErrorCode::Io, could + problem.what() + ".");
            }
        }
        // Whoever else writes in this program gets his turn.
        std::this_thread::sleep_for(std::chrono::milliseconds(20));
    }
}

}  // namespace brusk::carfolder
