// One datagram a frame, as Linux lays them out; a greedy peer waits its turn.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "benchcar/SocketServer.h"

#include <poll.h>
#include <sys/socket.h>
#include <sys/un.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <chrono>
#include <cstring>
#include <vector>

#include "core/link/SocketFrame.h"

namespace brusk::benchcar {
namespace {

int64_t wall_us() {
    return std::chrono::duration_cast<std::chrono::microseconds>(std::chrono::steady_clock::now().time_since_epoch())
        .count();
}

/// The listening socket and its peers; closes them and removes the path at the end.
class SocketPeers final : public Peers {
  public:
    explicit SocketPeers(std::string path) : path_(std::move(path)) {}
    SocketPeers(const SocketPeers&) = delete;
    SocketPeers& operator=(const SocketPeers&) = delete;
    ~SocketPeers() override {
        for (const int peer : peers_)
            ::close(peer);
        if (listener_ >= 0) {
            ::close(listener_);
            ::unlink(path_.c_str());
        }
    }

    Done listen() {
        sockaddr_un address{};
        address.sun_family = AF_UNIX;
        if (path_.empty() || path_.size() >= sizeof address.sun_path)
            return fail(ErrorCode::BadInput, "The socket path \"" + path_ + "\" is empty or too long.");
        std::memcpy(address.sun_path, path_.c_str(), path_.size() + 1);
        const auto* where = reinterpret_cast<const sockaddr*>(&address);
        const int probe = ::socket(AF_UNIX, SOCK_SEQPACKET | SOCK_CLOEXEC, 0);
        const bool answers = ::connect(probe, where, sizeof address) == 0;
        const bool refused = !answers && errno == ECONNREFUSED;
        ::close(probe);
        if (answers) return fail(ErrorCode::Conflict, "Somebody listens on " + path_ + " already.");
        if (refused) ::unlink(path_.c_str());
        const int fd = ::socket(AF_UNIX, SOCK_SEQPACKET | SOCK_CLOEXEC | SOCK_NONBLOCK, 0);
        if (fd < 0 || ::bind(fd, where, sizeof address) != 0 || ::listen(fd, 8) != 0) {
            const std::string reason = std::strerror(errno);
            if (fd >= 0) ::close(fd);
            return fail(ErrorCode::Io, "Could not listen on " + path_ + ": " + reason + ".");
        }
        listener_ = fd;
        return {};
    }

    /// Waits for peers and frames; frames go to the car and to all other peers.
    void exchange(BenchCar& car, int timeout_us) override {
        std::vector<pollfd> waiting{{listener_, POLLIN, 0}};
        for (const int peer : peers_)
            waiting.push_back({peer, POLLIN, 0});
        const timespec timeout{0, timeout_us * 1000};
        if (::ppoll(waiting.data(), waiting.size(), &timeout, nullptr) <= 0) return;
        std::vector<int> gone;
        for (size_t i = 1; i < waiting.size(); ++i)
            if (waiting[i].revents && !take(car, waiting[i].fd)) gone.push_back(waiting[i].fd);
        for (const int peer : gone)
            drop(peer);
        if (waiting[0].revents & POLLIN) {
            const int peer = ::accept4(listener_, nullptr, nullptr, SOCK_CLOEXEC | SOCK_NONBLOCK);
            if (peer >= 0) peers_.push_back(peer);
        }
    }

    void send(const can::CanFrame& frame) override { broadcast(frame, -1); }

  private:
    void broadcast(const can::CanFrame& frame, int except) {
        const link::SocketFrame bytes = link::packSocketFrame(frame);
        std::vector<int> gone;
        for (const int peer : peers_) {
            if (peer == except) continue;
            const ssize_t sent = ::send(peer, bytes.data(), bytes.size(), MSG_NOSIGNAL | MSG_DONTWAIT);
            // A peer that does not read loses frames, as on a real bus; one that is gone is dropped.
            if (sent < 0 && errno != EAGAIN && errno != EWOULDBLOCK) gone.push_back(peer);
        }
        for (const int peer : gone)
            drop(peer);
    }

    bool take(BenchCar& car, int peer) {
        // A greedy peer takes its turn like the others: what it has more to say comes the next time.
        for (int frames = 0; frames < kMostFramesATurn; ++frames) {
            uint8_t bytes[64];
            const ssize_t count = ::recv(peer, bytes, sizeof bytes, 0);
            if (count < 0) return errno == EAGAIN || errno == EWOULDBLOCK || errno == EINTR;
            if (count == 0) return false;
            if (const auto frame = link::unpackSocketFrame(bytes, static_cast<size_t>(count))) {
                car.receive(*frame);
                broadcast(*frame, peer);
            }
        }
        return true;
    }

    static constexpr int kMostFramesATurn = 64;

    void drop(int peer) {
        std::erase(peers_, peer);
        ::close(peer);
    }

    std::string path_;
    int listener_ = -1;
    std::vector<int> peers_;
};

}  // namespace

Result<std::unique_ptr<Peers>> listenOnSocket(const std::string& path) {
    auto server = std::make_unique<SocketPeers>(path);
    if (auto done = server->listen(); !done) return tl::unexpected(done.error());
    return std::unique_ptr<Peers>(std::move(server));
}

void serve(BenchCar& car, Peers& peers, const std::atomic<bool>& stop) {
    const int64_t wallBegin = wall_us();
    const int64_t carBegin = car.now_us();
    int64_t wireFree_us = 0;
    std::optional<can::CanFrame> waiting;
    while (!stop) {
        const int64_t now = wall_us() - wallBegin;
        car.advanceTo(carBegin + now);
        // One wire: a frame goes out only when the one before has passed.
        while (wireFree_us <= now) {
            if (!waiting) waiting = car.nextFrame();
            if (!waiting) break;
            wireFree_us = std::max(wireFree_us, now - 2000) + can::frameTime_us(*waiting);
            peers.send(*waiting);
            waiting.reset();
        }
        const int64_t pause = std::clamp<int64_t>(wireFree_us > now ? wireFree_us - now : 1000, 100, 1000);
        peers.exchange(car, static_cast<int>(pause));
    }
}

}  // namespace brusk::benchcar
