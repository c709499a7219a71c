// The one door to files. Everything Brusk writes outside its database goes through here, so that a full disk,
// a power loss and a failing write can be tested.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <filesystem>
#include <functional>
#include <map>
#include <memory>
#include <string>

#include "core/base/Bytes.h"
#include "core/base/Result.h"

namespace brusk::storage {

using Path = std::filesystem::path;

/// A file that grows at its end and whose already written bytes may be patched in place (a link, a count).
class GrowingFile {
  public:
    virtual ~GrowingFile() = default;
    [[nodiscard]] virtual Done append(ByteSpan bytes) = 0;
    /// Overwrites bytes that were appended before; never grows the file.
    [[nodiscard]] virtual Done patch(uint64_t offset, ByteSpan bytes) = 0;
    /// Returns after the bytes are on the disk.
    [[nodiscard]] virtual Done sync() = 0;
    virtual uint64_t size() const = 0;
};

class FileSystem {
  public:
    virtual ~FileSystem() = default;
    /// The whole file; files above `limit` bytes are refused before any memory is taken.
    [[nodiscard]] virtual Result<Bytes> read(const Path& path, uint64_t limit = kReadLimit) = 0;
    /// Safe save: temporary file in the same folder, write, sync, rename, sync the folder. Either the old bytes or
    /// the new ones are there afterwards, whatever happens in between.
    [[nodiscard]] virtual Done save(const Path& path, ByteSpan bytes) = 0;
    /// A new empty file; an existing one is refused.
    [[nodiscard]] virtual Result<std::unique_ptr<GrowingFile>> create(const Path& path) = 0;
    [[nodiscard]] virtual Done makeFolder(const Path& path) = 0;
    [[nodiscard]] virtual Done makeReadOnly(const Path& path) = 0;
    /// Removes a file; one that is not there is no failure.
    [[nodiscard]] virtual Done remove(const Path& path) = 0;
    virtual bool exists(const Path& path) const = 0;

    static constexpr uint64_t kReadLimit = uint64_t{2} << 30;
};

/// The files of this machine.
class RealFileSystem final : public FileSystem {
  public:
    Result<Bytes> read(const Path& path, uint64_t limit = kReadLimit) override;
    Done save(const Path& path, ByteSpan bytes) override;
    Result<std::unique_ptr<GrowingFile>> create(const Path& path) override;
    Done makeFolder(const Path& path) override;
    Done makeReadOnly(const Path& path) override;
    Done remove(const Path& path) override;
    bool exists(const Path& path) const override;
};

/// Files in memory that forget what was not synced when the power goes, and whose n-th operation can fail.
class MemoryFileSystem final : public FileSystem {
  public:
    MemoryFileSystem();
    ~MemoryFileSystem() override;
    Result<Bytes> read(const Path& path, uint64_t limit = kReadLimit) override;
    Done save(const Path& path, ByteSpan bytes) override;
    Result<std::unique_ptr<GrowingFile>> create(const Path& path) override;
    Done makeFolder(const Path& path) override;
    Done makeReadOnly(const Path& path) override;
    Done remove(const Path& path) override;
    bool exists(const Path& path) const override;

    /// The operation number `n` (from 1, counted from now) fails; with `lasting` so do all after it.
    void failAt(int n, bool lasting);
    /// How many writing operations have been asked for since failAt().
    int operations() const;
    /// What a reader finds after the power went: only bytes that were synced.
    void losePower();

    struct State;

  private:
    std::shared_ptr<State> state_;
};

}  // namespace brusk::storage
