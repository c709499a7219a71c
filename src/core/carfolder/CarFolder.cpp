// Making and opening a car folder: the lock, what was left by a dead program, and what the user has to know.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/carfolder/CarFolder.h"

#include <unistd.h>

#include "core/carfolder/Schema.h"

namespace brusk::carfolder {
namespace {

constexpr const char* kDatabase = "car.sqlite";
constexpr const char* kLock = "car.lock";

/// How we name ourselves to who comes second.
std::string ourselves() {
    char host[128] = {};
    ::gethostname(host, sizeof host - 1);
    return "process " + std::to_string(::getpid()) + " on " + host + ", since " + utcNow();
}

/// A lock that was got, or why nothing may be written.
struct Leave {
    std::unique_ptr<storage::Lock> lock;
    bool mayWrite = false;
    std::string whyNot;
    std::string news;
};

Leave leaveToWrite(storage::FileSystem& files, const storage::Path& path) {
    Leave out;
    const std::string readOnly =
        path.string() + " may not be written by you, so it can only be looked at. Copy the folder to work on the car.";
    if (!files.mayWriteIn(path)) {
        out.whyNot = readOnly;
        return out;
    }
    auto answer = files.lock(path / kLock, ourselves());
    if (!answer) {
        out.whyNot = answer.error().code == ErrorCode::Io ? readOnly : answer.error().text();
        return out;
    }
    if (!answer->lock && answer->locksAreThere) {
        out.whyNot = "another Brusk works in this folder (" +
                     (answer->holder.empty() ? std::string("it does not say which") : answer->holder) +
                     "). It can only be looked at here; close the other one, then open this folder again (F5).";
        return out;
    }
    if (!answer->locksAreThere)
        out.news =
            "The disk of " + path.string() + " knows no locks: see to it that no second Brusk works in this folder.";
    out.lock = std::move(answer->lock);
    out.mayWrite = true;
    return out;
}

}  // namespace

CarFolder::CarFolder(storage::FileSystem& files, storage::Path path, std::unique_ptr<storage::Lock> lock,
                     std::unique_ptr<Database> database)
    : files_(files),
      path_(std::move(path)),
      lock_(std::move(lock)),
      database_(std::move(database)),
      settings_(*database_),
      rounds_(*database_, files_, path_),
      recordings_(*database_, rounds_, files_, path_ / "recordings"),
      memory_(*database_, rounds_) {}

CarFolder::~CarFolder() = default;

bool CarFolder::isThere(storage::FileSystem& files, const storage::Path& path) {
    if (!files.exists(path / kDatabase)) return false;
    const auto empty = Database::isEmpty(files, path / kDatabase);
    return !empty || !*empty;
}

Result<std::unique_ptr<CarFolder>> CarFolder::create(storage::FileSystem& files, const storage::Path& path,
                                                     const std::string& carName) {
    const auto taken = [&] {
        return fail(ErrorCode::Conflict, path.string() + " is a car folder already; open it instead.");
    };
    if (isThere(files, path)) return taken();
    for (const char* below : {"recordings", "exports"})
        if (auto done = files.makeFolder(path / below); !done) return tl::unexpected(done.error());
    {
        Leave leave = leaveToWrite(files, path);
        if (!leave.mayWrite)
            return fail(ErrorCode::Refused, "The car folder " + path.string() + " could not be made: " + leave.whyNot);
        // Somebody else may have made it while we waited for our turn.
        if (isThere(files, path)) return taken();
        if (auto done = files.remove(path / kDatabase); !done) return tl::unexpected(done.error());
        if (auto done = Database::make(files, path / kDatabase, carName); !done) {
            if (done.error().code == ErrorCode::Conflict) return taken();
            return tl::unexpected(done.error());
        }
    }
    return open(files, path);
}

Result<std::unique_ptr<CarFolder>> CarFolder::open(storage::FileSystem& files, const storage::Path& path,
                                                   Purpose purpose) {
    const auto none = [&](const std::string& why) {
        return fail(ErrorCode::BadInput, path.string() + " is not a car folder: " + why + ". Nothing was changed.");
    };
    if (!files.exists(path)) return fail(ErrorCode::NotFound, "There is no folder " + path.string() + ".");
    if (!files.exists(path / kDatabase)) return none("it holds no car.sqlite");
    const auto empty = Database::isEmpty(files, path / kDatabase);
    if (!empty) return none(empty.error().message);
    if (*empty) return none("its car.sqlite is empty. Make the car folder there anew");
    Leave leave;
    if (purpose == Purpose::Work)
        leave = leaveToWrite(files, path);
    else
        leave.whyNot = "it was opened only to look.";
    auto database = Database::open(files, path / kDatabase, leave.mayWrite);
    if (!database) return tl::unexpected(database.error());
    if (!leave.whyNot.empty()) (*database)->setWhyNot(leave.whyNot);
    std::unique_ptr<CarFolder> folder(new CarFolder(files, path, std::move(leave.lock), std::move(*database)));
    if (!leave.news.empty()) folder->news_.push_back(leave.news);
    if (folder->mayWrite())
        if (auto done = folder->tidy(); !done) return tl::unexpected(done.error());
    return folder;
}

Done CarFolder::copyLedger(const storage::Path& to) const {
    return database_->copyTo(to);
}

Result<std::vector<std::string>> CarFolder::filesToKeep() const {
    std::vector<std::string> out;
    for (const storage::Entry& entry : files_.filesBelow(path_)) {
        const std::string name = entry.path.lexically_relative(path_).generic_string();
        const bool ofTheMoment =
            name.starts_with(kDatabase) || name == kLock || name.ends_with(storage::FileSystem::kSaving);
        if (!ofTheMoment) out.push_back(name);
    }
    std::sort(out.begin(), out.end());
    return out;
}

Done CarFolder::tidy() {
    if (const auto held = files_.list(path_))
        for (const storage::Entry& entry : *held) {
            const std::string name = entry.path.filename().string();
            if (!entry.isFolder && (name.ends_with(storage::FileSystem::kSaving) ||
                                    name.find(std::string("sqlite") + kMaking) != std::string::npos))
                if (auto done = files_.remove(entry.path); !done) return done;
        }
    if (auto done = rounds_.recoverDrafts(); !done) return done;
    auto adopted = recordings_.adopt();
    if (!adopted) return tl::unexpected(adopted.error());
    for (std::string& sentence : *adopted)
        news_.push_back(std::move(sentence));
    return {};
}

}  // namespace brusk::carfolder
