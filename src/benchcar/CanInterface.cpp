// The bench car on a CAN interface of the Linux kernel (linux/can.h, raw sockets).
// SPDX-License-Identifier: GPL-3.0-or-later
#include <linux/can.h>
#include <linux/can/raw.h>
#include <net/if.h>
#include <poll.h>
#include <sys/ioctl.h>
#include <sys/socket.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cstring>

#include "benchcar/SocketServer.h"

namespace brusk::benchcar {
namespace {

class InterfacePeers final : public Peers {
  public:
    explicit InterfacePeers(int fd) : fd_(fd) {}
    InterfacePeers(const InterfacePeers&) = delete;
    InterfacePeers& operator=(const InterfacePeers&) = delete;
    ~InterfacePeers() override { ::close(fd_); }

    void exchange(BenchCar& car, int timeout_us) override {
        pollfd waiting{fd_, POLLIN, 0};
        const timespec timeout{0, timeout_us * 1000L};
        if (::ppoll(&waiting, 1, &timeout, nullptr) <= 0) return;
        can_frame raw{};
        while (::recv(fd_, &raw, sizeof raw, MSG_DONTWAIT) == static_cast<ssize_t>(sizeof raw)) {
            // Error and remote frames are not for the car.
            if (raw.can_id & (CAN_ERR_FLAG | CAN_RTR_FLAG)) continue;
            can::CanFrame frame;
            frame.extended = raw.can_id & CAN_EFF_FLAG;
            frame.id = raw.can_id & (frame.extended ? CAN_EFF_MASK : CAN_SFF_MASK);
            frame.length = std::min<uint8_t>(raw.len, 8);
            std::copy_n(raw.data, frame.length, frame.data.begin());
            car.receive(frame);
        }
    }

    void send(const can::CanFrame& frame) override {
        can_frame raw{};
        raw.can_id = frame.id | (frame.extended ? CAN_EFF_FLAG : 0);
        raw.len = frame.length;
        std::copy_n(frame.data.begin(), frame.length, raw.data);
        // A full queue or an interface that went down loses the frame, as a bus does.
        (void)::send(fd_, &raw, sizeof raw, MSG_DONTWAIT | MSG_NOSIGNAL);
    }

  private:
    int fd_;
};

tl::unexpected<Error> refused(const std::string& name, const std::string& why) {
    return fail(ErrorCode::Io, "The CAN interface " + name + " could not be joined: " + why +
                                   " Bring it up with: ip link add " + name + " type vcan; ip link set " + name +
                                   " up");
}

}  // namespace

Result<std::unique_ptr<Peers>> joinInterface(const std::string& name) {
    if (name.empty() || name.size() >= IFNAMSIZ)
        return fail(ErrorCode::BadInput, "\"" + name + "\" is not the name of an interface.");
    const int fd = ::socket(PF_CAN, SOCK_RAW | SOCK_CLOEXEC, CAN_RAW);
    if (fd < 0) return refused(name, "this kernel has no CAN (" + std::string(std::strerror(errno)) + ").");
    ifreq request{};
    std::copy(name.begin(), name.end(), request.ifr_name);
    if (::ioctl(fd, SIOCGIFINDEX, &request) != 0) {
        ::close(fd);
        return refused(name, "there is no such interface.");
    }
    sockaddr_can address{};
    address.can_family = AF_CAN;
    address.can_ifindex = request.ifr_ifindex;
    const bool isUp = ::ioctl(fd, SIOCGIFFLAGS, &request) == 0 && request.ifr_flags & IFF_UP;
    if (!isUp || ::bind(fd, reinterpret_cast<const sockaddr*>(&address), sizeof address) != 0) {
        ::close(fd);
        return refused(name, "it is down.");
    }
    // A virtual bus has no bitrate: a whole block may arrive at once.
    const int room = 8 << 20;
    if (::setsockopt(fd, SOL_SOCKET, SO_RCVBUFFORCE, &room, sizeof room) != 0)
        ::setsockopt(fd, SOL_SOCKET, SO_RCVBUF, &room, sizeof room);
    return std::unique_ptr<Peers>(std::make_unique<InterfacePeers>(fd));
}

}  // namespace brusk::benchcar
