// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>

#include "core/storage/FileSystem.h"

namespace brusk::storage {

struct MemoryFileSystem::State {
    struct File {
        Bytes live;
        Bytes synced;
        bool readOnly = false;
    };
    std::map<Path, std::shared_ptr<File>> files;
    int operation = 0;
    int failing = 0;
    bool lasting = false;

    Done step(const Path& path) {
        ++operation;
        const bool hit = failing > 0 && (operation == failing || (lasting && operation > failing));
        if (hit) return fail(ErrorCode::Io, "Could not write " + path.string() + ": no space left on device.");
        return {};
    }
};

namespace {

class MemoryGrowingFile final : public GrowingFile {
  public:
    MemoryGrowingFile(std::shared_ptr<MemoryFileSystem::State> state, Path path,
                      std::shared_ptr<MemoryFileSystem::State::File> file)
        : state_(std::move(state)), path_(std::move(path)), file_(std::move(file)) {}

    Done append(ByteSpan bytes) override {
        if (auto done = state_->step(path_); !done) return done;
        file_->live.insert(file_->live.end(), bytes.begin(), bytes.end());
        return {};
    }

    Done patch(uint64_t offset, ByteSpan bytes) override {
        if (auto done = state_->step(path_); !done) return done;
        if (offset + bytes.size() > file_->live.size())
            return fail(ErrorCode::OutOfRange, "A patch beyond the end of " + path_.string() + ".");
        std::copy(bytes.begin(), bytes.end(), file_->live.begin() + static_cast<long>(offset));
        return {};
    }

    Done sync() override {
        if (auto done = state_->step(path_); !done) return done;
        file_->synced = file_->live;
        return {};
    }

    uint64_t size() const override { return file_->live.size(); }

  private:
    std::shared_ptr<MemoryFileSystem::State> state_;
    Path path_;
    std::shared_ptr<MemoryFileSystem::State::File> file_;
};

}  // namespace

MemoryFileSystem::MemoryFileSystem() : state_(std::make_shared<State>()) {}
MemoryFileSystem::~MemoryFileSystem() = default;

Result<Bytes> MemoryFileSystem::read(const Path& path, uint64_t limit) {
    const auto found = state_->files.find(path);
    if (found == state_->files.end()) return fail(ErrorCode::NotFound, "Could not open " + path.string() + ".");
    if (found->second->live.size() > limit) return fail(ErrorCode::OutOfRange, path.string() + " is too large.");
    return found->second->live;
}

Done MemoryFileSystem::save(const Path& path, ByteSpan bytes) {
    const auto old = state_->files.find(path);
    if (old != state_->files.end() && old->second->readOnly)
        return fail(ErrorCode::Io, "Could not write " + path.string() + ": it is read-only.");
    // Writing, syncing and renaming can each fail; the old bytes stay until the rename is on the disk.
    for (int phase = 0; phase < 3; ++phase)
        if (auto done = state_->step(path); !done) return done;
    auto file = std::make_shared<State::File>();
    file->live = file->synced = Bytes(bytes.begin(), bytes.end());
    state_->files[path] = std::move(file);
    return {};
}

Result<std::unique_ptr<GrowingFile>> MemoryFileSystem::create(const Path& path) {
    if (auto done = state_->step(path); !done) return tl::unexpected(done.error());
    if (state_->files.count(path)) return fail(ErrorCode::Conflict, path.string() + " is already there.");
    auto file = std::make_shared<State::File>();
    state_->files[path] = file;
    return std::unique_ptr<GrowingFile>(std::make_unique<MemoryGrowingFile>(state_, path, file));
}

Done MemoryFileSystem::makeFolder(const Path& path) {
    return state_->step(path);
}

Done MemoryFileSystem::makeReadOnly(const Path& path) {
    const auto found = state_->files.find(path);
    if (found == state_->files.end()) return fail(ErrorCode::NotFound, "Could not protect " + path.string() + ".");
    found->second->readOnly = true;
    return {};
}

Done MemoryFileSystem::remove(const Path& path) {
    state_->files.erase(path);
    return {};
}

bool MemoryFileSystem::exists(const Path& path) const {
    return state_->files.count(path) > 0;
}

void MemoryFileSystem::failAt(int n, bool lasting) {
    state_->operation = 0;
    state_->failing = n;
    state_->lasting = lasting;
}

int MemoryFileSystem::operations() const {
    return state_->operation;
}

void MemoryFileSystem::losePower() {
    for (auto& [path, file] : state_->files)
        file->live = file->synced;
}

}  // namespace brusk::storage
