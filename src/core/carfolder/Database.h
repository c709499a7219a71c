// The one place that talks to the database's library and catches what it throws: everybody else gets a Result.
//
// 1. No exception crosses this border.
// 2. Writers use one connection and stand in line; lookers use another and never wait for a writer's disk.
// 3. A sentence says what was wrong with the file, not what the library calls it.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <chrono>
#include <functional>
#include <memory>
#include <mutex>
#include <type_traits>

#include "core/base/Result.h"
#include "core/storage/FileSystem.h"

namespace SQLite {
class Database;
}

namespace brusk::carfolder {

/// How long a writer waits for another program that holds the database.
enum class Patience {
    Usual,        ///< seconds, then a sentence
    WhileItWaits  ///< minutes: a car waits with a sector erased
};

class Database {
  public:
    /// Opens `file`, which is there. `mayWrite` false: for looking only.
    [[nodiscard]] static Result<std::unique_ptr<Database>> open(storage::FileSystem& files, const storage::Path& file,
                                                                bool mayWrite);
    /// Makes a new file with all tables and the car's name, whole or not at all.
    [[nodiscard]] static Done make(storage::FileSystem& files, const storage::Path& file, const std::string& carName);
    /// Whether the file is one that nothing was ever written to: a folder still to be made.
    [[nodiscard]] static Result<bool> isEmpty(storage::FileSystem& files, const storage::Path& file);
    ~Database();
    Database(const Database&) = delete;
    Database& operator=(const Database&) = delete;

    /// Everything as it is now, in a new file; what was deleted is not in it.
    [[nodiscard]] Done copyTo(const storage::Path& file) const;

    bool mayWrite() const { return writer_ != nullptr; }
    /// Why nothing can be written, as a sentence; what a write says when it may not.
    void setWhyNot(std::string sentence) { whyNot_ = std::move(sentence); }
    const std::string& whyNot() const { return whyNot_; }

    /// Looks: `work(SQLite::Database&)` returns a Result.
    template <class F>
    auto read(const char* what, F work) const -> std::invoke_result_t<F, SQLite::Database&> {
        std::invoke_result_t<F, SQLite::Database&> out = fail(ErrorCode::Io, "");
        if (auto done = guarded(what, [&](SQLite::Database& db) { out = work(db); }); !done)
            return tl::unexpected(done.error());
        return out;
    }

    /// Writes in one transaction, which is kept when `work` returns a good Result.
    template <class F>
    auto write(const char* what, F work, Patience patience = Patience::Usual)
        -> std::invoke_result_t<F, SQLite::Database&> {
        std::invoke_result_t<F, SQLite::Database&> out = fail(ErrorCode::Io, "");
        const auto step = [&](SQLite::Database& db) {
            out = work(db);
            return out.has_value();
        };
        if (auto done = inTransaction(what, step, patience); !done) return tl::unexpected(done.error());
        return out;
    }

  private:
    Database(storage::FileSystem& files, storage::Path file, std::unique_ptr<SQLite::Database> reader,
             std::unique_ptr<SQLite::Database> writer);
    Done guarded(const char* what, const std::function<void(SQLite::Database&)>& work) const;
    Done inTransaction(const char* what, const std::function<bool(SQLite::Database&)>& work, Patience patience);

    storage::FileSystem& files_;
    storage::Path file_;
    mutable std::mutex readMutex_;  // guards reader_
    std::unique_ptr<SQLite::Database> reader_;
    std::mutex writeMutex_;  // guards writer_
    std::unique_ptr<SQLite::Database> writer_;
    std::string whyNot_;
};

/// Now as "2026-03-01T10:12:05Z".
std::string utcNow();

}  // namespace brusk::carfolder
