// The files of this machine, by the operating system's own calls.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <fcntl.h>
#include <sys/file.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cstdlib>
#include <cstring>

#include "core/storage/FileSystem.h"
#include "core/storage/MapFile.h"

namespace brusk::storage {
namespace {

/// What the operating system said, in words that say what to do.
std::string reasonText(int reason) {
    switch (reason) {
        case ENOSPC:
        case EDQUOT:
            return "the disk is full";
        case EROFS:
            return "the disk is read-only";
        case EACCES:
        case EPERM:
            return "you may not write or read there";
        default:
            return std::strerror(reason);
    }
}

tl::unexpected<Error> ioFailure(const std::string& what, const Path& path) {
    const int reason = errno;
    const ErrorCode code = reason == ENOENT   ? ErrorCode::NotFound
                           : reason == EEXIST ? ErrorCode::Conflict
                                              : ErrorCode::Io;
    return failIn({path.string()}, code, what + " " + path.string() + ": " + reasonText(reason) + ".");
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

Done writeAllAt(int fd, uint64_t offset, ByteSpan bytes, const Path& path) {
    while (!bytes.empty()) {
        const ssize_t n = ::pwrite(fd, bytes.data(), bytes.size(), static_cast<off_t>(offset));
        if (n < 0 && errno == EINTR) continue;
        if (n <= 0) return ioFailure("Could not write", path);
        bytes = bytes.subspan(static_cast<size_t>(n));
        offset += static_cast<uint64_t>(n);
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
        if (auto done = writeAllAt(fd_.get(), size_, bytes, path_); !done) return done;
        size_ += bytes.size();
        return {};
    }

    Done patch(uint64_t offset, ByteSpan bytes) override {
        if (offset > size_ || bytes.size() > size_ - offset)
            return fail(ErrorCode::OutOfRange, "A patch beyond the end of " + path_.string() + ".");
        return writeAllAt(fd_.get(), offset, bytes, path_);
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

class RealLock final : public Lock {
  public:
    explicit RealLock(int fd) : fd_(fd) {}

  private:
    Descriptor fd_;  // the lock goes with it
};

std::optional<struct stat> statOf(const Path& path) {
    struct stat info {};
    if (::stat(path.c_str(), &info) != 0) return std::nullopt;
    return info;
}

}  // namespace

namespace {

struct Opened {
    explicit Opened(int fd) : file(fd) {}
    Descriptor file;
    uint64_t size = 0;
};

/// For reading, where it is a file at all.
Result<std::unique_ptr<Opened>> openFile(const Path& path) {
    // Without waiting: a pipe that nobody writes to would hold us for ever.
    auto out = std::make_unique<Opened>(::open(path.c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK));
    if (!out->file.ok()) return ioFailure("Could not open", path);
    struct stat info {};
    if (::fstat(out->file.get(), &info) != 0) return ioFailure("Could not look at", path);
    if (!S_ISREG(info.st_mode)) return failIn({path.string()}, ErrorCode::BadInput, path.string() + " is not a file.");
    out->size = static_cast<uint64_t>(info.st_size);
    return out;
}

}  // namespace

Result<std::shared_ptr<const Mapped>> RealFileSystem::map(const Path& path) {
    const auto opened = openFile(path);
    if (!opened) return tl::unexpected(opened.error());
    if (auto mapped = mapFile((*opened)->file.get(), static_cast<size_t>((*opened)->size))) return mapped;
    // Some file systems can't; then it lies in memory whole.
    auto bytes = read(path);
    if (!bytes) return tl::unexpected(bytes.error());
    return mappedBytes(std::move(*bytes));
}

Result<Bytes> RealFileSystem::read(const Path& path, uint64_t limit) {
    const auto opened = openFile(path);
    if (!opened) return tl::unexpected(opened.error());
    const auto& [file, size] = **opened;
    if (size > limit)
        return failIn(
            {path.string()}, ErrorCode::OutOfRange,
            path.string() + " has " + std::to_string(size) + " bytes; at most " + std::to_string(limit) + " are read.");
    Bytes bytes(static_cast<size_t>(size));
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

namespace {

/// `mode`: of the new file; nothing: as the old file had it.
Done saveAs(const Path& path, ByteSpan bytes, std::optional<mode_t> mode) {
    const auto old = statOf(path);
    if (old && !S_ISREG(old->st_mode))
        return failIn({path.string()}, ErrorCode::Conflict, path.string() + " is not a file; it was left as it is.");
    if (old && (old->st_mode & 0222) == 0)
        return failIn({path.string()}, ErrorCode::Io, "Could not write " + path.string() + ": it is read-only.");
    Path temporary = path;
    temporary += FileSystem::kSaving;
    ::unlink(temporary.c_str());
    {
        const Descriptor file(::open(temporary.c_str(), O_WRONLY | O_CREAT | O_EXCL | O_CLOEXEC, mode.value_or(0644)));
        if (!file.ok()) return ioFailure("Could not write", path);
        auto done = writeAllAt(file.get(), 0, bytes, path);
        // Who may read the old file may read the new one.
        if (done && old && !mode) ::fchmod(file.get(), old->st_mode & 0777);
        if (done && ::fsync(file.get()) != 0) done = ioFailure("Could not sync", path);
        if (!done) {
            ::unlink(temporary.c_str());
            return done;
        }
    }
    if (::rename(temporary.c_str(), path.c_str()) != 0) {
        const auto problem = ioFailure("Could not put in place", path);
        ::unlink(temporary.c_str());
        return problem;
    }
    return syncFolder(path.parent_path());
}

}  // namespace

Done RealFileSystem::save(const Path& path, ByteSpan bytes) {
    return saveAs(path, bytes, std::nullopt);
}

Done RealFileSystem::saveSecret(const Path& path, ByteSpan bytes) {
    return saveAs(path, bytes, S_IRUSR | S_IWUSR);
}

Stamp RealFileSystem::stamp(const Path& path) const {
    const auto info = statOf(path);
    if (!info) return {};
    return {true, static_cast<uint64_t>(info->st_size), info->st_mtim.tv_sec * 1000000000 + info->st_mtim.tv_nsec,
            static_cast<uint64_t>(info->st_ino)};
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
    if (error)
        return failIn({path.string()}, ErrorCode::Io,
                      "Could not make the folder " + path.string() + ": " + reasonText(error.value()) + ".");
    return {};
}

Done RealFileSystem::makeReadOnly(const Path& path) {
    if (::chmod(path.c_str(), 0444) != 0) return ioFailure("Could not protect", path);
    return {};
}

Done RealFileSystem::move(const Path& from, const Path& to) {
    // The kernel sees to it that nothing is replaced; where a file system can't, looking first is the best there is.
    if (::renameat2(AT_FDCWD, from.c_str(), AT_FDCWD, to.c_str(), RENAME_NOREPLACE) != 0) {
        if (errno != EINVAL && errno != ENOSYS) return ioFailure("Could not move a file to", to);
        if (exists(to)) {
            errno = EEXIST;
            return ioFailure("Could not move a file to", to);
        }
        if (::rename(from.c_str(), to.c_str()) != 0) return ioFailure("Could not move a file to", to);
    }
    return syncFolder(to.parent_path());
}

Done RealFileSystem::remove(const Path& path) {
    if (::unlink(path.c_str()) != 0 && errno != ENOENT) return ioFailure("Could not remove", path);
    return {};
}

Done RealFileSystem::removeFolder(const Path& path) {
    std::error_code error;
    std::filesystem::remove_all(path, error);
    if (error)
        return failIn({path.string()}, ErrorCode::Io,
                      "Could not remove " + path.string() + ": " + reasonText(error.value()) + ".");
    return {};
}

bool RealFileSystem::exists(const Path& path) const {
    return statOf(path).has_value();
}

bool RealFileSystem::isFile(const Path& path) const {
    const auto info = statOf(path);
    return info && S_ISREG(info->st_mode);
}

bool RealFileSystem::mayWriteIn(const Path& folder) const {
    return ::access(folder.c_str(), W_OK | X_OK) == 0;
}

Result<std::vector<Entry>> RealFileSystem::list(const Path& folder) const {
    std::error_code error;
    std::filesystem::directory_iterator it(folder, error);
    if (error)
        return failIn({folder.string()}, error.value() == ENOENT ? ErrorCode::NotFound : ErrorCode::Io,
                      "Could not look into " + folder.string() + ": " + reasonText(error.value()) + ".");
    std::vector<Entry> out;
    for (; it != std::filesystem::directory_iterator(); it.increment(error)) {
        if (error) break;
        std::error_code one;
        // A link to a folder is not followed: it may lead in a circle.
        const bool isFolder = !it->is_symlink(one) && it->is_directory(one);
        const auto size = isFolder ? 0 : it->file_size(one);
        out.push_back({it->path(), isFolder, one ? 0 : size});
    }
    std::sort(out.begin(), out.end(), [](const Entry& a, const Entry& b) { return a.path < b.path; });
    return out;
}

Result<LockAnswer> RealFileSystem::lock(const Path& path, const std::string& holder) {
    const int fd = ::open(path.c_str(), O_RDWR | O_CREAT | O_CLOEXEC, 0644);
    if (fd < 0) return ioFailure("Could not lock", path);
    LockAnswer out;
    auto lock = std::make_unique<RealLock>(fd);
    if (::flock(fd, LOCK_EX | LOCK_NB) == 0) {
        // Who was here before is of no interest any more. That it can't be written down harms nobody.
        if (::ftruncate(fd, 0) == 0) (void)writeAllAt(fd, 0, asBytes(holder), path);
        out.lock = std::move(lock);
        return out;
    }
    if (errno != EWOULDBLOCK) {
        out.locksAreThere = false;
        return out;
    }
    char text[256];
    const ssize_t n = ::pread(fd, text, sizeof text, 0);
    out.holder.assign(text, n > 0 ? static_cast<size_t>(n) : 0);
    return out;
}

Result<Path> RealFileSystem::makeTemporaryFolder() {
    std::error_code error;
    const Path below = std::filesystem::temp_directory_path(error);
    std::string pattern = ((error ? Path("/tmp") : below) / "brusk-XXXXXX").string();
    if (!::mkdtemp(pattern.data())) return ioFailure("Could not make a temporary folder like", pattern);
    return Path(pattern);
}

}  // namespace brusk::storage
