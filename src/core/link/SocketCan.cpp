// Raw sockets of the kernel, with time stamps and error frames.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/link/SocketCan.h"

#include <libsocketcan.h>
#include <linux/can.h>
#include <linux/can/error.h>
#include <linux/can/netlink.h>
#include <linux/can/raw.h>
#include <linux/net_tstamp.h>
#include <net/if.h>
#include <net/if_arp.h>
#include <poll.h>
#include <sys/ioctl.h>
#include <sys/socket.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <chrono>
#include <cstring>
#include <deque>

#include "core/base/Text.h"

namespace brusk::link {
namespace {

constexpr int kReceiveBuffer = 8 << 20;
constexpr int64_t kQueueFull_us = 500;  // How long to wait when the interface's queue takes no more.

/// A file descriptor that is closed when it goes.
class Descriptor {
  public:
    explicit Descriptor(int fd = -1) : fd_(fd) {}
    ~Descriptor() {
        if (fd_ >= 0) ::close(fd_);
    }
    Descriptor(Descriptor&& other) noexcept : fd_(std::exchange(other.fd_, -1)) {}
    Descriptor& operator=(Descriptor&& other) noexcept {
        std::swap(fd_, other.fd_);
        return *this;
    }
    int get() const { return fd_; }

  private:
    int fd_;
};

bool request(int fd, const std::string& name, unsigned long what, ifreq& out) {
    out = {};
    std::copy_n(name.begin(), std::min<size_t>(name.size(), IFNAMSIZ - 1), out.ifr_name);
    return ::ioctl(fd, what, &out) == 0;
}

BusState stateOf(int canState) {
    switch (canState) {
        case CAN_STATE_ERROR_ACTIVE:
            return BusState::Active;
        case CAN_STATE_ERROR_WARNING:
            return BusState::Warning;
        case CAN_STATE_ERROR_PASSIVE:
            return BusState::Passive;
        case CAN_STATE_BUS_OFF:
            return BusState::Off;
        default:
            return BusState::Down;
    }
}

const char* stateText(BusState state) {
    switch (state) {
        case BusState::Active:
            return "error active";
        case BusState::Warning:
            return "many errors (warning level)";
        case BusState::Passive:
            return "error passive";
        case BusState::Off:
            return "bus-off";
        case BusState::Down:
            return "down";
    }
    return "";
}

CanInterface describe(int fd, const std::string& name) {
    CanInterface out;
    out.name = name;
    ifreq answer{};
    out.up = request(fd, name, SIOCGIFFLAGS, answer) && answer.ifr_flags & IFF_UP;
    // What has no device behind it has no bitrate to ask for.
    out.isVirtual = ::access(("/sys/class/net/" + name + "/device").c_str(), F_OK) != 0;
    can_bittiming timing{};
    if (!out.isVirtual && can_get_bittiming(name.c_str(), &timing) == 0) out.bitrate = static_cast<int>(timing.bitrate);
    int state = 0;
    if (!out.up)
        out.state = BusState::Down;
    else if (out.isVirtual)
        out.state = BusState::Active;
    else
        out.state = can_get_state(name.c_str(), &state) == 0 ? stateOf(state) : BusState::Active;
    return out;
}

int64_t microseconds(const timespec& time) {
    return int64_t{time.tv_sec} * 1000000 + time.tv_nsec / 1000;
}

int64_t clock_us(clockid_t clock) {
    timespec now{};
    ::clock_gettime(clock, &now);
    return microseconds(now);
}

class SocketCanPort final : public CanPort {
  public:
    explicit SocketCanPort(std::string name) : name_(std::move(name)) {}

    Done open() {
        Descriptor socket(::socket(PF_CAN, SOCK_RAW | SOCK_CLOEXEC | SOCK_NONBLOCK, CAN_RAW));
        if (socket.get() < 0)
            return fail(ErrorCode::NotFound,
                        "This kernel has no CAN (" + std::string(std::strerror(errno)) +
                            "). Load its modules: modprobe can_raw; for a simulated bus also modprobe vcan.");
        ifreq answer{};
        if (!request(socket.get(), name_, SIOCGIFINDEX, answer))
            return fail(ErrorCode::NotFound, "There is no CAN interface " + name_ + ". Plug it in, or make one:\n" +
                                                 makeVirtualLines(name_));
        const int index = answer.ifr_ifindex;
        const CanInterface seen = describe(socket.get(), name_);
        if (!seen.up)
            return fail(ErrorCode::LinkLost, "The CAN interface " + name_ + " is down. Bring it up:\n" +
                                                 bringUpLines(name_, seen.isVirtual));
        sockaddr_can address{};
        address.can_family = AF_CAN;
        address.can_ifindex = index;
        const int on = 1;
        const can_err_mask_t errors = CAN_ERR_MASK;
        const int stamps = SOF_TIMESTAMPING_RX_HARDWARE | SOF_TIMESTAMPING_RAW_HARDWARE | SOF_TIMESTAMPING_RX_SOFTWARE |
                           SOF_TIMESTAMPING_SOFTWARE;
        // Our own frames come back when they are on the wire: that is their confirmation.
        ::setsockopt(socket.get(), SOL_CAN_RAW, CAN_RAW_RECV_OWN_MSGS, &on, sizeof on);
        ::setsockopt(socket.get(), SOL_CAN_RAW, CAN_RAW_ERR_FILTER, &errors, sizeof errors);
        ::setsockopt(socket.get(), SOL_SOCKET, SO_TIMESTAMPING, &stamps, sizeof stamps);
        ::setsockopt(socket.get(), SOL_SOCKET, SO_RXQ_OVFL, &on, sizeof on);
        // A long answer may arrive while this thread is held up. Only root gets the whole of it.
        if (::setsockopt(socket.get(), SOL_SOCKET, SO_RCVBUFFORCE, &kReceiveBuffer, sizeof kReceiveBuffer) != 0)
            ::setsockopt(socket.get(), SOL_SOCKET, SO_RCVBUF, &kReceiveBuffer, sizeof kReceiveBuffer);
        if (::bind(socket.get(), reinterpret_cast<const sockaddr*>(&address), sizeof address) != 0)
            return fail(ErrorCode::Io,
                        "The CAN interface " + name_ + " could not be joined: " + std::strerror(errno) + ".");
        socket_ = std::move(socket);
        status_.name = name_;
        status_.bitrateKnown = !seen.isVirtual && seen.bitrate > 0;
        if (status_.bitrateKnown) status_.bitrate = seen.bitrate;
        setState(seen.state);
        pending_ = 0;
        return {};
    }

    Done send(const CanFrame& frame, int64_t deadline_us) override {
        can_frame raw{};
        raw.can_id = frame.id | (frame.extended ? CAN_EFF_FLAG : 0);
        raw.len = frame.length;
        std::copy_n(frame.data.begin(), frame.length, raw.data);
        while (true) {
            if (auto done = joined(); !done) return done;
            if (::send(socket_.get(), &raw, sizeof raw, MSG_NOSIGNAL) == static_cast<ssize_t>(sizeof raw)) break;
            if (errno == EINTR) continue;
            if (errno != ENOBUFS && errno != EAGAIN) return tl::unexpected(lost());
            // The queue is full: the bus is slower than we are, or nobody acknowledges.
            if (now_us() >= deadline_us) return tl::unexpected(notTaken());
            if (auto done = fetch(std::min(deadline_us, now_us() + kQueueFull_us)); !done) return done;
        }
        ++pending_;
        return {};
    }

    Done confirm(int64_t deadline_us) override {
        while (pending_ > 0) {
            if (now_us() >= deadline_us) {
                pending_ = 0;
                return tl::unexpected(notTaken());
            }
            if (auto done = fetch(deadline_us); !done) return done;
        }
        return {};
    }

    Result<std::optional<CanFrame>> receive(int64_t deadline_us) override {
        while (true) {
            if (!inbox_.empty()) {
                const CanFrame frame = inbox_.front();
                inbox_.pop_front();
                return std::optional(frame);
            }
            if (auto done = joined(); !done) return tl::unexpected(done.error());
            if (auto done = fetch(deadline_us); !done) return tl::unexpected(done.error());
            if (inbox_.empty() && now_us() >= deadline_us) return std::optional<CanFrame>{};
        }
    }

    /// Goes on while the computer sleeps, and is not set by anybody.
    int64_t now_us() const override { return clock_us(CLOCK_BOOTTIME); }
    PortStatus status() const override { return status_; }

  private:
    /// Joins again after the interface went away.
    Done joined() {
        if (socket_.get() >= 0) return {};
        return open();
    }

    /// Waits for frames until `deadline_us` and takes all that are there.
    Done fetch(int64_t deadline_us) {
        pollfd waiting{socket_.get(), POLLIN, 0};
        const int64_t left_us = std::max<int64_t>(0, deadline_us - now_us());
        const timespec timeout{left_us / 1000000, (left_us % 1000000) * 1000};
        if (::ppoll(&waiting, 1, &timeout, nullptr) <= 0) return {};
        while (true) {
            alignas(canfd_frame) uint8_t bytes[sizeof(canfd_frame)];
            iovec part{bytes, sizeof bytes};
            alignas(cmsghdr) char control[256];
            msghdr message{};
            message.msg_iov = &part;
            message.msg_iovlen = 1;
            message.msg_control = control;
            message.msg_controllen = sizeof control;
            const ssize_t count = ::recvmsg(socket_.get(), &message, 0);
            if (count < 0 && (errno == EAGAIN || errno == EWOULDBLOCK)) return {};
            if (count < 0 && errno == EINTR) continue;
            if (count <= 0) return tl::unexpected(lost());
            take(readRawFrame(bytes, static_cast<size_t>(count)), message);
        }
    }

    void take(RawFrame raw, msghdr& message) {
        raw.frame.time_us = stamp(message);
        if (raw.kind == RawFrame::Kind::Foreign) {
            ++status_.foreign;
        } else if (raw.kind == RawFrame::Kind::Error) {
            ++status_.errorFrames;
            setState(stateAfterError(raw, status_.state));
        } else if (message.msg_flags & MSG_CONFIRM) {
            pending_ = std::max(0, pending_ - 1);
            seen(raw.frame, true);
        } else {
            // Whatever arrives tells that the interface is up again.
            if (status_.state == BusState::Down) setState(BusState::Active);
            seen(raw.frame, false);
            inbox_.push_back(raw.frame);
        }
    }

    /// When the frame was on the wire, on this port's clock: the controller's stamp where it has one, else the
    /// kernel's.
    int64_t stamp(msghdr& message) {
        const int64_t now = now_us();
        for (cmsghdr* c = CMSG_FIRSTHDR(&message); c; c = CMSG_NXTHDR(&message, c)) {
            if (c->cmsg_level != SOL_SOCKET) continue;
            if (c->cmsg_type == SO_RXQ_OVFL) {
                uint32_t dropped = 0;
                std::memcpy(&dropped, CMSG_DATA(c), sizeof dropped);
                status_.overruns = dropped;
            }
            if (c->cmsg_type != SO_TIMESTAMPING) continue;
            timespec stamps[3];
            std::memcpy(stamps, CMSG_DATA(c), sizeof stamps);
            if (stamps[2].tv_sec || stamps[2].tv_nsec) {
                // The interface's own clock: its distance to ours is the least that was seen.
                const int64_t distance = now - microseconds(stamps[2]);
                hardware_us_ = hardwareKnown_ ? std::min(hardware_us_ + 1, distance) : distance;
                hardwareKnown_ = true;
                return microseconds(stamps[2]) + hardware_us_;
            }
            return now - std::max<int64_t>(0, clock_us(CLOCK_REALTIME) - microseconds(stamps[0]));
        }
        return now;
    }

    void setState(BusState state) {
        status_.state = state;
        status_.advice.clear();
        if (state == BusState::Off)
            status_.advice = name_ + " is bus-off: look at bitrate, wiring and termination, then: ip link set " +
                             name_ + " type can restart";
        if (state == BusState::Passive || state == BusState::Warning)
            status_.advice = name_ + " sees many errors: look at bitrate, wiring and termination.";
        if (state == BusState::Down) status_.advice = name_ + " is down.";
    }

    Error notTaken() const {
        if (status_.state == BusState::Off)
            return Error{ErrorCode::Timeout, "The frame was not sent: " + status_.advice, nullptr};
        return Error{ErrorCode::Timeout,
                     "The bus did not take a frame within a second (N_As): nobody acknowledges on " + name_ +
                         ". Look at the plug, the ignition and the bitrate.",
                     nullptr};
    }

    Error lost() {
        const int reason = errno;
        setState(BusState::Down);
        inbox_.clear();
        // An interface that went down keeps its socket; one that was unplugged does not.
        if (reason != ENETDOWN) socket_ = Descriptor();
        return Error{ErrorCode::LinkLost,
                     reason == ENETDOWN ? "The CAN interface " + name_ + " went down. Bring it up again:\n" +
                                              bringUpLines(name_, !status_.bitrateKnown, status_.bitrate)
                                        : "The CAN interface " + name_ + " is gone (" + std::strerror(reason) +
                                              "). Plug it in again and repeat the step.",
                     nullptr};
    }

    std::string name_;
    Descriptor socket_;
    PortStatus status_;
    std::deque<CanFrame> inbox_;
    int pending_ = 0;  ///< frames of ours that were not seen on the wire yet
    bool hardwareKnown_ = false;
    int64_t hardware_us_ = 0;
};

}  // namespace

std::string CanInterface::text() const {
    if (!up) return name + ": down";
    if (isVirtual) return name + ": virtual, up";
    return name + ": " + (bitrate ? formatNumber(bitrate / 1000.0, bitrate % 1000 ? 1 : 0) + " kbit/s, " : "") +
           stateText(state);
}

std::vector<CanInterface> canInterfaces() {
    std::vector<CanInterface> out;
    const Descriptor any(::socket(AF_UNIX, SOCK_DGRAM | SOCK_CLOEXEC, 0));
    struct if_nameindex* all = ::if_nameindex();
    for (struct if_nameindex* at = all; at && at->if_index; ++at) {
        ifreq answer{};
        if (request(any.get(), at->if_name, SIOCGIFHWADDR, answer) && answer.ifr_hwaddr.sa_family == ARPHRD_CAN)
            out.push_back(describe(any.get(), at->if_name));
    }
    if (all) ::if_freenameindex(all);
    return out;
}

std::string bringUpLines(const std::string& name, bool isVirtual, int bitrate) {
    if (isVirtual) return "ip link set " + name + " up";
    return "ip link set " + name + " type can bitrate " + std::to_string(bitrate) + " restart-ms 100\nip link set " +
           name + " up";
}

std::string makeVirtualLines(const std::string& name) {
    return "ip link add " + name + " type vcan\n" + bringUpLines(name, true);
}

RawFrame readRawFrame(const uint8_t* bytes, size_t count) {
    RawFrame out;
    // A CAN FD frame has another size; its first bytes would look like a classic one's.
    if (count != sizeof(can_frame)) return out;
    can_frame raw;
    std::memcpy(&raw, bytes, sizeof raw);
    if (raw.can_id & CAN_RTR_FLAG) return out;
    if (raw.len > CAN_MAX_DLEN) return out;
    out.frame.length = raw.len;
    std::copy_n(raw.data, raw.len, out.frame.data.begin());
    if (raw.can_id & CAN_ERR_FLAG) {
        out.kind = RawFrame::Kind::Error;
        out.errorClass = raw.can_id & CAN_ERR_MASK;
        return out;
    }
    out.kind = RawFrame::Kind::Data;
    out.frame.extended = raw.can_id & CAN_EFF_FLAG;
    out.frame.id = raw.can_id & (out.frame.extended ? CAN_EFF_MASK : CAN_SFF_MASK);
    return out;
}

BusState stateAfterError(const RawFrame& error, BusState now) {
    if (error.errorClass & CAN_ERR_BUSOFF) return BusState::Off;
    if (error.errorClass & CAN_ERR_RESTARTED) return BusState::Active;
    if (!(error.errorClass & CAN_ERR_CRTL)) return now;
    const uint8_t control = error.frame.data[1];
    if (control & (CAN_ERR_CRTL_RX_PASSIVE | CAN_ERR_CRTL_TX_PASSIVE)) return BusState::Passive;
    if (control & (CAN_ERR_CRTL_RX_WARNING | CAN_ERR_CRTL_TX_WARNING)) return BusState::Warning;
    if (control & CAN_ERR_CRTL_ACTIVE) return BusState::Active;
    return now;
}

Result<std::unique_ptr<CanPort>> openSocketCan(const std::string& name) {
    if (name.empty() || name.size() >= IFNAMSIZ)
        return fail(ErrorCode::BadInput, "\"" + name + "\" is not the name of an interface.");
    auto port = std::make_unique<SocketCanPort>(name);
    if (auto done = port->open(); !done) return tl::unexpected(done.error());
    return std::unique_ptr<CanPort>(std::move(port));
}

}  // namespace brusk::link
