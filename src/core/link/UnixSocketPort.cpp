// Datagrams of a Unix-domain socket as a bus.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/link/UnixSocketPort.h"

#include <poll.h>
#include <sys/socket.h>
#include <sys/un.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cstring>
#include <ctime>
#include <utility>

#include "core/link/SocketFrame.h"

namespace brusk::link {
namespace {

/// A socket that is connected to who listens on `path`, which is no longer than an address has room for; negative,
/// with errno, where nobody does.
int connected(const std::string& path) {
    sockaddr_un address{};
    address.sun_family = AF_UNIX;
    std::memcpy(address.sun_path, path.c_str(), path.size() + 1);
    const int fd = ::socket(AF_UNIX, SOCK_SEQPACKET | SOCK_CLOEXEC, 0);
    if (fd < 0 || ::connect(fd, reinterpret_cast<const sockaddr*>(&address), sizeof address) == 0) return fd;
    const int reason = errno;
    ::close(fd);
    errno = reason;
    return -1;
}

class UnixSocketPort final : public CanPort {
  public:
    UnixSocketPort(int fd, std::string path) : fd_(fd), path_(std::move(path)) {}
    ~UnixSocketPort() override { ::close(fd_); }

    Done send(const CanFrame& frame, int64_t deadline_us) override {
        if (auto done = joined(); !done) return done;
        const SocketFrame bytes = packSocketFrame(frame);
        while (::send(fd_, bytes.data(), bytes.size(), MSG_NOSIGNAL | MSG_DONTWAIT) !=
               static_cast<ssize_t>(bytes.size())) {
            if (errno == EINTR) continue;
            if (errno != EAGAIN && errno != EWOULDBLOCK) return tl::unexpected(lost());
            if (now_us() >= deadline_us)
                return fail(ErrorCode::Timeout, "The other side of " + path_ + " takes no frames (N_As).");
            pollfd waiting{fd_, POLLOUT, 0};
            (void)::poll(&waiting, 1, static_cast<int>((deadline_us - now_us()) / 1000 + 1));
        }
        CanFrame sent = frame;
        sent.time_us = now_us();
        seen(sent, true);
        return {};
    }

    /// A socket has what it took.
    Done confirm(int64_t) override { return {}; }

    Result<std::optional<CanFrame>> receive(int64_t deadline_us) override {
        if (auto done = joined(); !done) return tl::unexpected(done.error());
        while (true) {
            const int64_t left_us = std::max<int64_t>(0, deadline_us - now_us());
            pollfd waiting{fd_, POLLIN, 0};
            const timespec timeout{left_us / 1000000, (left_us % 1000000) * 1000};
            const int ready = ::ppoll(&waiting, 1, &timeout, nullptr);
            if (ready < 0 && errno == EINTR) continue;
            if (ready < 0) return tl::unexpected(lost());
            if (ready == 0) return std::optional<CanFrame>{};
            uint8_t bytes[64];
            const ssize_t count = ::recv(fd_, bytes, sizeof bytes, 0);
            if (count < 0 && errno == EINTR) continue;
            if (count <= 0) return tl::unexpected(lost());
            auto frame = unpackSocketFrame(bytes, static_cast<size_t>(count));
            if (!frame) continue;
            frame->time_us = now_us();
            seen(*frame, false);
            return frame;
        }
    }

    int64_t now_us() const override {
        // Goes on while the computer sleeps, and is not set by anybody.
        timespec now{};
        ::clock_gettime(CLOCK_BOOTTIME, &now);
        return int64_t{now.tv_sec} * 1000000 + now.tv_nsec / 1000;
    }

    PortStatus status() const override {
        PortStatus out;
        out.name = path_;
        if (gone_) {
            out.state = BusState::Down;
            out.advice = "The other side closed the socket.";
        }
        return out;
    }

  private:
    /// Joins again once somebody listens there again.
    Done joined() {
        if (!gone_) return {};
        const int fd = connected(path_);
        if (fd < 0) return tl::unexpected(lost());
        ::close(std::exchange(fd_, fd));
        gone_ = false;
        return {};
    }

    Error lost() {
        gone_ = true;
        return Error{ErrorCode::LinkLost,
                     "The link " + path_ + " is gone: the other side closed it. Plug it in again and repeat the step.",
                     nullptr};
    }

    int fd_;
    std::string path_;
    bool gone_ = false;
};

}  // namespace

Result<std::unique_ptr<CanPort>> openUnixSocket(const std::string& path) {
    if (path.empty() || path.size() >= sizeof sockaddr_un::sun_path)
        return fail(ErrorCode::BadInput, "The socket path \"" + path + "\" is empty or too long.");
    const int fd = connected(path);
    if (fd < 0)
        return fail(ErrorCode::NotFound, "Nobody listens on " + path + " (" + std::strerror(errno) +
                                             "). Start brusk-benchcar --link unix:" + path + " first.");
    return std::unique_ptr<CanPort>(std::make_unique<UnixSocketPort>(fd, path));
}

}  // namespace brusk::link
