// One classic CAN frame and how long it holds the wire. Shared by the core and the bench car; it needs nothing else.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <array>
#include <cstdint>
#include <cstring>

namespace brusk::can {

/// A data frame of classic CAN (ISO 11898-1): an 11- or 29-bit identifier and 0 to 8 bytes.
struct CanFrame {
    uint32_t id = 0;
    bool extended = false;
    uint8_t length = 0;
    std::array<uint8_t, 8> data{};
    int64_t time_us = 0;  ///< when its last bit was seen, on the port's clock
};

inline constexpr int kBitrate = 500000;
inline constexpr int64_t kBitTime_us = 1000000 / kBitrate;

/// Bits on the wire from start of frame to the end of the interframe space, stuff bits included
/// (ISO 11898-1: five equal bits from start of frame through the CRC are followed by one of the other kind).
inline int frameBits(const CanFrame& frame) {
    int count = 0;
    int run = 0;
    int last = -1;
    uint16_t crc = 0;
    const auto put = [&](int bit) {
        if (run == 5) {
            ++count;  // the stuff bit, which itself begins a run
            last = 1 - last;
            run = 1;
        }
        run = bit == last ? run + 1 : 1;
        last = bit;
        ++count;
    };
    const auto covered = [&](uint32_t value, int bits) {
        for (int i = bits - 1; i >= 0; --i) {
            const int bit = static_cast<int>(value >> i & 1);
            const bool flip = (bit ^ (crc >> 14)) & 1;
            crc = static_cast<uint16_t>((crc << 1) & 0x7FFF);
            if (flip) crc ^= 0x4599;
            put(bit);
        }
    };
    covered(0, 1);
    if (frame.extended) {
        covered(frame.id >> 18, 11);
        covered(3, 2);
        covered(frame.id & 0x3FFFF, 18);
        covered(0, 3);
    } else {
        covered(frame.id, 11);
        covered(0, 3);
    }
    covered(frame.length, 4);
    for (int i = 0; i < frame.length; ++i)
        covered(frame.data[static_cast<size_t>(i)], 8);
    const uint16_t sum = crc;
    for (int i = 14; i >= 0; --i)
        put(sum >> i & 1);
    if (run == 5) ++count;
    // CRC delimiter, acknowledge slot and delimiter, end of frame, interframe space.
    return count + 1 + 2 + 7 + 3;
}

inline int64_t frameTime_us(const CanFrame& frame) {
    return frameBits(frame) * kBitTime_us;
}

}  // namespace brusk::can
