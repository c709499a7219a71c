// The one door to files. Everything Brusk does with files outside its database goes through here, so that a full disk,
// a power loss and a failing write can be tested.
//
// 1. A save leaves either the old bytes or the new ones, whatever happens in between, and no file besides.
// 2. What is read-only is not replaced. What another program changed since it was looked at is not replaced.
// 3. A growing file's bytes lie where they were meant to lie: what a failed write left is overwritten by the next.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <filesystem>
#include <memory>
#include <string>
#include <vector>

#include "core/base/Bytes.h"
#include "core/base/Result.h"
#include "core/storage/Mapped.h"

namespace brusk::storage {

using Path = std::filesystem::path;

/// A file that grows at its end and whose already written bytes may be patched in place (a link, a count).
class GrowingFile {
  public:
    virtual ~GrowingFile() = default;
    /// Writes at size(). After a failure, size() is what it was, and the next append writes over what came through.
    [[nodiscard]] virtual Done append(ByteSpan bytes) = 0;
    /// Overwrites bytes that were appended before; never grows the file.
    [[nodiscard]] virtual Done patch(uint64_t offset, ByteSpan bytes) = 0;
    /// Returns after the bytes are on the disk.
    [[nodiscard]] virtual Done sync() = 0;
    virtual uint64_t size() const = 0;
};

/// How a file looked at a moment: enough to tell whether another program has put something else there.
struct Stamp {
    bool there = false;
    uint64_t size = 0;
    int64_t changed_ns = 0;
    uint64_t node = 0;
    bool operator==(const Stamp&) const = default;
};

struct Entry {
    Path path;
    bool isFolder = false;
    uint64_t size = 0;  ///< bytes; 0 for a folder
};

/// Keeps others out as long as it lives; gone with the process that holds it, however that ends.
class Lock {
  public:
    virtual ~Lock() = default;
};

/// What asking for a lock came to.
struct LockAnswer {
    std::unique_ptr<Lock> lock;  ///< null: not got
    std::string holder;          ///< what the one who has it wrote of himself
    bool locksAreThere = true;   ///< false: this file system knows no locks, nobody is kept out
};

class FileSystem {
  public:
    virtual ~FileSystem() = default;
    /// The whole file; files above `limit` bytes are refused before any memory is taken, and so is what is no file.
    [[nodiscard]] virtual Result<Bytes> read(const Path& path, uint64_t limit = kReadLimit) = 0;
    /// The whole file, of any size, read when it is looked at.
    [[nodiscard]] virtual Result<std::shared_ptr<const Mapped>> map(const Path& path) = 0;
    /// Safe save: temporary file in the same folder, write, sync, rename, sync the folder.
    [[nodiscard]] virtual Done save(const Path& path, ByteSpan bytes) = 0;
    /// The same, refused when the file does not look any more as it did when `seen` was taken.
    [[nodiscard]] Done save(const Path& path, ByteSpan bytes, const Stamp& seen);
    /// A safe save of what nobody but its owner may read (mode 0600).
    [[nodiscard]] virtual Done saveSecret(const Path& path, ByteSpan bytes) = 0;
    virtual Stamp stamp(const Path& path) const = 0;
    /// A new empty file; an existing one is refused.
    [[nodiscard]] virtual Result<std::unique_ptr<GrowingFile>> create(const Path& path) = 0;
    [[nodiscard]] virtual Done makeFolder(const Path& path) = 0;
    [[nodiscard]] virtual Done makeReadOnly(const Path& path) = 0;
    /// Moves a file or folder; refused when something stands at `to` already.
    [[nodiscard]] virtual Done move(const Path& from, const Path& to) = 0;
    /// Removes a file; one that is not there is no failure.
    [[nodiscard]] virtual Done remove(const Path& path) = 0;
    /// Removes a folder with all that is in it.
    [[nodiscard]] virtual Done removeFolder(const Path& path) = 0;
    virtual bool exists(const Path& path) const = 0;
    /// Whether it is a file that can be read as one: no folder, pipe or device.
    virtual bool isFile(const Path& path) const = 0;
    /// Whether new files can be made in this folder.
    virtual bool mayWriteIn(const Path& folder) const = 0;
    /// What lies in a folder, by name; NotFound when there is none.
    [[nodiscard]] virtual Result<std::vector<Entry>> list(const Path& folder) const = 0;
    /// Asks for the lock that the file `path` stands for, and writes `holder` into it when it is got.
    [[nodiscard]] virtual Result<LockAnswer> lock(const Path& path, const std::string& holder) = 0;

    /// Every file below a folder, at most `most` of them; folders that can't be looked into are passed over.
    std::vector<Entry> filesBelow(const Path& folder, size_t most = 100000) const;
    /// `stem` + `ending`, or with -2, -3 ... between them: the first that nothing stands at.
    Path freeName(const Path& folder, const std::string& stem, const std::string& ending) const;

    static constexpr uint64_t kReadLimit = uint64_t{2} << 30;
    static constexpr const char* kSaving = ".saving";  ///< ending of a save that is not done
};

/// The files of this machine.
class RealFileSystem final : public FileSystem {
  public:
    using FileSystem::save;
    Result<Bytes> read(const Path& path, uint64_t limit = kReadLimit) override;
    Result<std::shared_ptr<const Mapped>> map(const Path& path) override;
    Done save(const Path& path, ByteSpan bytes) override;
    Done saveSecret(const Path& path, ByteSpan bytes) override;
    Stamp stamp(const Path& path) const override;
    Result<std::unique_ptr<GrowingFile>> create(const Path& path) override;
    Done makeFolder(const Path& path) override;
    Done makeReadOnly(const Path& path) override;
    Done move(const Path& from, const Path& to) override;
    Done remove(const Path& path) override;
    Done removeFolder(const Path& path) override;
    bool exists(const Path& path) const override;
    bool isFile(const Path& path) const override;
    bool mayWriteIn(const Path& folder) const override;
    Result<std::vector<Entry>> list(const Path& folder) const override;
    Result<LockAnswer> lock(const Path& path, const std::string& holder) override;

    /// A new folder of its own among this machine's temporary ones.
    [[nodiscard]] Result<Path> makeTemporaryFolder();
};

/// Files in memory that forget what was not synced when the power goes, and whose n-th operation can fail. A write that
/// fails has written its first half.
class MemoryFileSystem final : public FileSystem {
  public:
    using FileSystem::save;
    MemoryFileSystem();
    ~MemoryFileSystem() override;
    Result<Bytes> read(const Path& path, uint64_t limit = kReadLimit) override;
    Result<std::shared_ptr<const Mapped>> map(const Path& path) override;
    Done save(const Path& path, ByteSpan bytes) override;
    Done saveSecret(const Path& path, ByteSpan bytes) override;
    Stamp stamp(const Path& path) const override;
    Result<std::unique_ptr<GrowingFile>> create(const Path& path) override;
    Done makeFolder(const Path& path) override;
    Done makeReadOnly(const Path& path) override;
    Done move(const Path& from, const Path& to) override;
    Done remove(const Path& path) override;
    Done removeFolder(const Path& path) override;
    bool exists(const Path& path) const override;
    bool isFile(const Path& path) const override;
    bool mayWriteIn(const Path& folder) const override;
    Result<std::vector<Entry>> list(const Path& folder) const override;
    Result<LockAnswer> lock(const Path& path, const std::string& holder) override;

    /// The operation number `n` (from 1, counted from now) fails; with `lasting` so do all after it.
    void failAt(int n, bool lasting);
    /// How many writing operations have been asked for since failAt().
    int operations() const;
    /// Bytes that still fit on the disk; a write that needs more puts there what fits and fails. Nothing: no limit.
    void setRoom(std::optional<uint64_t> bytes);
    /// A disk that is busy: a file's sync() does not come back until it is not.
    void setBusy(bool busy);
    /// What a reader finds after the power went: only bytes that were synced.
    void losePower();

    struct State;

  private:
    std::shared_ptr<State> state_;
};

}  // namespace brusk::storage
