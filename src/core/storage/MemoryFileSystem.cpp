// Files in memory, for tests: what is not synced is lost with the power, the n-th write fails half done, the disk
// fills.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <condition_variable>
#include <map>
#include <mutex>
#include <set>

#include "core/storage/FileSystem.h"

namespace brusk::storage {

struct MemoryFileSystem::State {
    struct File {
        Bytes live;
        Bytes synced;
        bool readOnly = false;
        int64_t changed = 0;
    };
    std::recursive_mutex mutex;  ///< a recording is written by threads of its own
    std::condition_variable_any idle;
    bool busy = false;
    std::map<Path, std::shared_ptr<File>> files;
    std::set<Path> folders;
    std::map<Path, std::pair<std::weak_ptr<int>, std::string>> locks;  ///< who holds it, and what he wrote
    int64_t clock = 0;
    int operation = 0;
    int failing = 0;
    bool lasting = false;
    std::optional<uint64_t> room;

    Done step(const Path& path) {
        ++operation;
        const bool hit = failing > 0 && (operation == failing || (lasting && operation > failing));
        return hit ? Done(full(path)) : Done();
    }
    static tl::unexpected<Error> full(const Path& path) {
        return fail(ErrorCode::Io, "Could not write " + path.string() + ": the disk is full.");
    }
    /// Writes into a file; when that fails, what went before the failure is there.
    Done write(File& file, uint64_t offset, ByteSpan bytes, const Path& path) {
        Done done = step(path);
        size_t through = done ? bytes.size() : bytes.size() / 2;
        const uint64_t grows = offset + bytes.size() > file.live.size() ? offset + bytes.size() - file.live.size() : 0;
        if (room && grows > *room) {
            through = std::min(through, bytes.size() - static_cast<size_t>(grows - *room));
            done = full(path);
        }
        const uint64_t end = offset + through;
        if (end > file.live.size()) {
            if (room) *room -= end - file.live.size();
            file.live.resize(end);
        }
        std::copy(bytes.begin(), bytes.begin() + static_cast<long>(through),
                  file.live.begin() + static_cast<long>(offset));
        file.changed = ++clock;
        return done;
    }
};

namespace {

class MemoryGrowingFile final : public GrowingFile {
  public:
    MemoryGrowingFile(std::shared_ptr<MemoryFileSystem::State> state, Path path,
                      std::shared_ptr<MemoryFileSystem::State::File> file)
        : state_(std::move(state)), path_(std::move(path)), file_(std::move(file)) {}

    Done append(ByteSpan bytes) override {
        const std::lock_guard lock(state_->mutex);
        if (auto done = state_->write(*file_, size_, bytes, path_); !done) return done;
        size_ += bytes.size();
        return {};
    }

    Done patch(uint64_t offset, ByteSpan bytes) override {
        const std::lock_guard lock(state_->mutex);
        if (offset > size_ || bytes.size() > size_ - offset)
            return fail(ErrorCode::OutOfRange, "A patch beyond the end of " + path_.string() + ".");
        return state_->write(*file_, offset, bytes, path_);
    }

    Done sync() override {
        std::unique_lock lock(state_->mutex);
        state_->idle.wait(lock, [&] { return !state_->busy; });
        if (auto done = state_->step(path_); !done) return done;
        file_->synced = file_->live;
        return {};
    }

    uint64_t size() const override { return size_; }

  private:
    std::shared_ptr<MemoryFileSystem::State> state_;
    Path path_;
    std::shared_ptr<MemoryFileSystem::State::File> file_;
    uint64_t size_ = 0;
};

class MemoryLock final : public Lock {
  public:
    explicit MemoryLock(std::shared_ptr<int> held) : held_(std::move(held)) {}

  private:
    std::shared_ptr<int> held_;
};

bool liesBelow(const Path& path, const Path& folder) {
    const auto [end, rest] = std::mismatch(folder.begin(), folder.end(), path.begin(), path.end());
    return end == folder.end() && rest != path.end();
}

}  // namespace

MemoryFileSystem::MemoryFileSystem() : state_(std::make_shared<State>()) {}
MemoryFileSystem::~MemoryFileSystem() = default;

Result<Bytes> MemoryFileSystem::read(const Path& path, uint64_t limit) {
    const std::lock_guard lock(state_->mutex);
    const auto found = state_->files.find(path);
    if (found == state_->files.end()) return fail(ErrorCode::NotFound, "Could not open " + path.string() + ".");
    if (found->second->live.size() > limit) return fail(ErrorCode::OutOfRange, path.string() + " is too large.");
    return found->second->live;
}

Result<std::shared_ptr<const Mapped>> MemoryFileSystem::map(const Path& path) {
    auto bytes = read(path);
    if (!bytes) return tl::unexpected(bytes.error());
    return mappedBytes(std::move(*bytes));
}

Done MemoryFileSystem::saveSecret(const Path& path, ByteSpan bytes) {
    return save(path, bytes);
}

Done MemoryFileSystem::save(const Path& path, ByteSpan bytes) {
    const std::lock_guard lock(state_->mutex);
    const auto old = state_->files.find(path);
    if (old != state_->files.end() && old->second->readOnly)
        return fail(ErrorCode::Io, "Could not write " + path.string() + ": it is read-only.");
    // Writing, syncing and renaming can each fail; the old bytes stay until the rename is on the disk.
    auto file = std::make_shared<State::File>();
    if (auto done = state_->write(*file, 0, bytes, path); !done) {
        if (state_->room) *state_->room += file->live.size();  // the temporary file goes
        return done;
    }
    for (int phase = 0; phase < 2; ++phase)
        if (auto done = state_->step(path); !done) return done;
    file->synced = file->live;
    state_->files[path] = std::move(file);
    return {};
}

Stamp MemoryFileSystem::stamp(const Path& path) const {
    const std::lock_guard lock(state_->mutex);
    const auto found = state_->files.find(path);
    if (found == state_->files.end()) return {};
    return {true, found->second->live.size(), found->second->changed, 0};
}

Result<std::unique_ptr<GrowingFile>> MemoryFileSystem::create(const Path& path) {
    const std::lock_guard lock(state_->mutex);
    if (auto done = state_->step(path); !done) return tl::unexpected(done.error());
    if (state_->files.count(path)) return fail(ErrorCode::Conflict, path.string() + " is already there.");
    auto file = std::make_shared<State::File>();
    state_->files[path] = file;
    return std::unique_ptr<GrowingFile>(std::make_unique<MemoryGrowingFile>(state_, path, file));
}

Done MemoryFileSystem::makeFolder(const Path& path) {
    const std::lock_guard lock(state_->mutex);
    if (auto done = state_->step(path); !done) return done;
    state_->folders.insert(path);
    return {};
}

Done MemoryFileSystem::makeReadOnly(const Path& path) {
    const std::lock_guard lock(state_->mutex);
    const auto found = state_->files.find(path);
    if (found == state_->files.end()) return fail(ErrorCode::NotFound, "Could not protect " + path.string() + ".");
    found->second->readOnly = true;
    return {};
}

Done MemoryFileSystem::move(const Path& from, const Path& to) {
    const std::lock_guard lock(state_->mutex);
    if (auto done = state_->step(to); !done) return done;
    if (exists(to)) return fail(ErrorCode::Conflict, "Could not move a file to " + to.string() + ": it is there.");
    const auto found = state_->files.find(from);
    if (found == state_->files.end()) return fail(ErrorCode::NotFound, "There is no " + from.string() + ".");
    state_->files[to] = found->second;
    state_->files.erase(from);
    return {};
}

Done MemoryFileSystem::remove(const Path& path) {
    const std::lock_guard lock(state_->mutex);
    state_->files.erase(path);
    return {};
}

Done MemoryFileSystem::removeFolder(const Path& path) {
    const std::lock_guard lock(state_->mutex);
    std::erase_if(state_->files, [&](const auto& file) { return liesBelow(file.first, path); });
    std::erase_if(state_->folders, [&](const Path& folder) { return folder == path || liesBelow(folder, path); });
    return {};
}

bool MemoryFileSystem::exists(const Path& path) const {
    const std::lock_guard lock(state_->mutex);
    return state_->files.count(path) > 0 || state_->folders.count(path) > 0;
}

bool MemoryFileSystem::isFile(const Path& path) const {
    const std::lock_guard lock(state_->mutex);
    return state_->files.count(path) > 0;
}

bool MemoryFileSystem::mayWriteIn(const Path&) const {
    return true;
}

Result<std::vector<Entry>> MemoryFileSystem::list(const Path& folder) const {
    const std::lock_guard lock(state_->mutex);
    std::map<Path, Entry> out;
    const auto add = [&](const Path& path, uint64_t size, bool isFolder) {
        if (!liesBelow(path, folder)) return;
        auto step = path.begin();
        std::advance(step, std::distance(folder.begin(), folder.end()));
        const Path below = folder / *step;
        out[below] = {below, isFolder || below != path, below == path && !isFolder ? size : 0};
    };
    for (const Path& path : state_->folders)
        add(path, 0, true);
    for (const auto& [path, file] : state_->files)
        add(path, file->live.size(), false);
    if (out.empty() && !state_->folders.count(folder))
        return fail(ErrorCode::NotFound, "There is no folder " + folder.string() + ".");
    std::vector<Entry> entries;
    entries.reserve(out.size());
    for (auto& [path, entry] : out)
        entries.push_back(std::move(entry));
    return entries;
}

Result<LockAnswer> MemoryFileSystem::lock(const Path& path, const std::string& holder) {
    const std::lock_guard lock(state_->mutex);
    auto& [held, who] = state_->locks[path];
    LockAnswer out;
    if (!held.expired()) {
        out.holder = who;
        return out;
    }
    auto taken = std::make_shared<int>(0);
    held = taken;
    who = holder;
    out.lock = std::make_unique<MemoryLock>(std::move(taken));
    return out;
}

void MemoryFileSystem::failAt(int n, bool lasting) {
    const std::lock_guard lock(state_->mutex);
    state_->operation = 0;
    state_->failing = n;
    state_->lasting = lasting;
}

int MemoryFileSystem::operations() const {
    const std::lock_guard lock(state_->mutex);
    return state_->operation;
}

void MemoryFileSystem::setRoom(std::optional<uint64_t> bytes) {
    const std::lock_guard lock(state_->mutex);
    state_->room = bytes;
}

void MemoryFileSystem::setBusy(bool busy) {
    const std::lock_guard lock(state_->mutex);
    state_->busy = busy;
    state_->idle.notify_all();
}

void MemoryFileSystem::losePower() {
    const std::lock_guard lock(state_->mutex);
    for (auto& [path, file] : state_->files)
        file->live = file->synced;
}

}  // namespace brusk::storage
