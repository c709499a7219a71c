// The 16 bytes that carry one frame over a Unix-domain socket (little-endian, struct can_frame of linux/can.h):
// identifier with flags (4), length (1), padding (3), data (8).
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <array>
#include <cstdint>
#include <cstring>
#include <optional>

#include "core/can/CanFrame.h"

namespace brusk::link {

using can::CanFrame;

using SocketFrame = std::array<uint8_t, 16>;

inline SocketFrame packSocketFrame(const CanFrame& frame) {
    SocketFrame out{};
    const uint32_t id = frame.id | (frame.extended ? 0x80000000u : 0u);
    for (size_t i = 0; i < 4; ++i)
        out[i] = static_cast<uint8_t>(id >> (8 * i));
    out[4] = frame.length;
    std::memcpy(out.data() + 8, frame.data.data(), 8);
    return out;
}

/// Nothing for what is no data frame: wrong size, remote or error frame, more than 8 bytes.
inline std::optional<CanFrame> unpackSocketFrame(const uint8_t* bytes, size_t count) {
    if (count != 16 || bytes[4] > 8) return std::nullopt;
    uint32_t id = 0;
    for (size_t i = 0; i < 4; ++i)
        id |= static_cast<uint32_t>(bytes[i]) << (8 * i);
    if (id & 0x60000000u) return std::nullopt;
    CanFrame frame;
    frame.extended = (id & 0x80000000u) != 0;
    frame.id = id & (frame.extended ? 0x1FFFFFFFu : 0x7FFu);
    frame.length = bytes[4];
    std::memcpy(frame.data.data(), bytes + 8, 8);
    return frame;
}

}  // namespace brusk::link
