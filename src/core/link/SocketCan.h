// CAN interfaces of the Linux kernel: raw sockets with time stamps, error frames, and what the interface says of
// itself.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <memory>
#include <string>
#include <vector>

#include "core/link/CanPort.h"

namespace brusk::link {

/// A CAN interface as the kernel lists it.
struct CanInterface {
    std::string name;
    bool up = false;
    bool isVirtual = false;  ///< vcan: no wire, no bitrate
    int bitrate = 0;         ///< bit/s; 0 when it was never set
    BusState state = BusState::Down;
    /// "can0: 500 kbit/s, error active", "can0: down".
    std::string text() const;
};

/// All of them; empty when the kernel has none.
std::vector<CanInterface> canInterfaces();

/// The ip lines that bring an interface up, one a line: of a real one, or of a simulated one that is there already.
std::string bringUpLines(const std::string& name, bool isVirtual, int bitrate = kBitrate);
/// The ip lines that make a simulated interface.
std::string makeVirtualLines(const std::string& name);

/// Joins an interface. The error says what is missing (no CAN in the kernel, no such interface, down, no permission)
/// and with which ip lines to mend it. The port outlives the interface's going down and up again.
[[nodiscard]] Result<std::unique_ptr<CanPort>> openSocketCan(const std::string& name);

/// The frame of a raw socket's bytes (struct can_frame or canfd_frame of linux/can.h), or what it was instead. Foreign
/// bytes: any length, any content.
struct RawFrame {
    enum class Kind { Data, Error, Foreign } kind = Kind::Foreign;
    CanFrame frame;
    uint32_t errorClass = 0;  ///< of an error frame, linux/can/error.h
};
RawFrame readRawFrame(const uint8_t* bytes, size_t count);
/// What an error frame makes of the bus state; `now` when it says nothing of it.
BusState stateAfterError(const RawFrame& error, BusState now);

}  // namespace brusk::link
