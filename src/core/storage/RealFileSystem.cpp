// SPDX-License-Identifier: GPL-3.0-or-later
#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cerrno>
#include <cstring>

#include "core/storage/FileSystem.h"

namespace brusk::storage {
namespace {

tl::unexpected<Error> ioFailure(const std::string& what, const Path& path) {
    const int reason = errno;
    const ErrorCode code = reason == ENOENT   ? ErrorCode::NotFound
                           : reason == EEXIST ? ErrorCode::Conflict
                                              : ErrorCode::Io;
    return fail(code, what + " " + path.string() + ": " + std::strerror(reason) + ".");
}

/// Owns one file descriptor.
class Descriptor {
  public:
    explicit Descriptor(int fd) : fd_(fd) {}
    Descriptor(const Descriptor&) = delete;
    Descriptor& operator=(const Descriptor&) = delete;
    ~Descriptor() {
        if (fd_ >= 0) ::close(fd_);
    }
    int get() const { return fd_; }
    bool ok() const { return fd_ >= 0; }

  private:
    int fd_;
};

Done writeAll(int fd, ByteSpan bytes, const Path& path) {
    while (!bytes.empty()) {
        const ssize_t n = ::write(fd, bytes.data(), bytes.size());
        if (n < 0 && errno == EINTR) continue;
        if (n <= 0) return ioFailure("Could not write", path);
        bytes = bytes.subspan(static_cast<size_t>(n));
    }
    return {};
}

Done syncFolder(const Path& folder) {
    const Descriptor dir(::open(folder.empty() ? "." : folder.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC));
    if (!dir.ok() || ::fsync(dir.get()) != 0) return ioFailure("Could not sync the folder", folder);
    return {};
}

class RealGrowingFile final : public GrowingFile {
  public:
    RealGrowingFile(int fd, Path path) : fd_(fd), path_(std::move(path)) {}

    Done append(ByteSpan bytes) override {
        if (auto done = writeAll(fd_.get(), bytes, path_); !done) return done;
        size_ += bytes.size();
        return {};
    }

    Done patch(uint64_t offset, ByteSpan bytes) override {
        if (offset + bytes.size() > size_)
            return fail(ErrorCode::OutOfRange, "A patch beyond the end of " + path_.string() + ".");
        const ssize_t n = ::pwrite(fd_.get(), bytes.data(), bytes.size(), static_cast<off_t>(offset));
        if (n != static_cast<ssize_t>(bytes.size())) return ioFailure("Could not write", path_);
        return {};
    }

    Done sync() override {
        if (::fdatasync(fd_.get()) != 0) return ioFailure("Could not sync", path_);
        return {};
    }

    uint64_t size() const override { return size_; }

  private:
    Descriptor fd_;
    Path path_;
    uint64_t size_ = 0;
};

}  // namespace

Result<Bytes> RealFileSystem::read(const Path& path, uint64_t limit) {
    const Descriptor file(::open(path.c_str(), O_RDONLY | O_CLOEXEC));
    if (!file.ok()) return ioFailure("Could not open", path);
    struct stat info {};
    if (::fstat(file.get(), &info) != 0) return ioFailure("Could not look at", path);
    if (!S_ISREG(info.st_mode)) return fail(ErrorCode::BadInput, path.string() + " is not a file.");
    if (static_cast<uint64_t>(info.st_size) > limit)
        return fail(ErrorCode::OutOfRange, path.string() + " has " + std::to_string(info.st_size) + " bytes; at most " +
                                               std::to_string(limit) + " are read.");
    Bytes bytes(static_cast<size_t>(info.st_size));
    size_t have = 0;
    while (have < bytes.size()) {
        const ssize_t n = ::read(file.get(), bytes.data() + have, bytes.size() - have);
        if (n < 0 && errno == EINTR) continue;
        if (n < 0) return ioFailure("Could not read", path);
        if (n == 0) break;
        have += static_cast<size_t>(n);
    }
    bytes.resize(have);
    return bytes;
}

Done RealFileSystem::save(const Path& path, ByteSpan bytes) {
    Path temporary = path;
    temporary += ".saving";
    ::unlink(temporary.c_str());
    {
        const Descriptor file(::open(temporary.c_str(), O_WRONLY | O_CREAT | O_EXCL | O_CLOEXEC, 0644));
        if (!file.ok()) return ioFailure("Could not write", temporary);
        auto done = writeAll(file.get(), bytes, temporary);
        if (done && ::fsync(file.get()) != 0) done = ioFailure("Could not sync", temporary);
        if (!done) {
            ::unlink(temporary.c_str());
            return done;
        }
    }
    if (::rename(temporary.c_str(), path.c_str()) != 0) return ioFailure("Could not put in place", path);
    return syncFolder(path.parent_path());
}

Result<std::unique_ptr<GrowingFile>> RealFileSystem::create(const Path& path) {
    const int fd = ::open(path.c_str(), O_RDWR | O_CREAT | O_EXCL | O_CLOEXEC, 0644);
    if (fd < 0) return ioFailure("Could not create", path);
    std::unique_ptr<GrowingFile> file = std::make_unique<RealGrowingFile>(fd, path);
    if (auto done = syncFolder(path.parent_path()); !done) return tl::unexpected(done.error());
    return file;
}

Done RealFileSystem::makeFolder(const Path& path) {
    std::error_code error;
    std::filesystem::create_directories(path, error);
    if (error) return fail(ErrorCode::Io, "Could not make the folder " + path.string() + ": " + error.message() + ".");
    return {};
}

Done RealFileSystem::makeReadOnly(const Path& path) {
    if (::chmod(path.c_str(), 0444) != 0) return ioFailure("Could not protect", path);
    return {};
}

Done RealFileSystem::remove(const Path& path) {
    std::error_code error;
    std::filesystem::remove(path, error);
    if (error) return fail(ErrorCode::Io, "Could not remove " + path.string() + ": " + error.message() + ".");
    return {};
}

bool RealFileSystem::exists(const Path& path) const {
    std::error_code error;
    return std::filesystem::exists(path, error);
}

}  // namespace brusk::storage
