// ISO 15765-2 transport: messages of up to 4 GiB in CAN frames, normal addressing.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>

#include "core/base/Bytes.h"
#include "core/link/CanPort.h"

namespace brusk::link {

struct IsoTpAddress {
    uint32_t requestId = 0x7E0;
    uint32_t responseId = 0x7E8;
    bool extendedIds = false;
    uint8_t padding = 0xAA;
};

/// Timeouts of ISO 15765-2 table 18, microseconds.
struct IsoTpTiming {
    int64_t waitForFlowControl_us = 1000000;  ///< N_Bs
    int64_t waitForConsecutive_us = 1000000;  ///< N_Cr
    int mostWaits = 50;                       ///< N_WFTmax of ours: FC.WAIT frames in a row that are put up with
};

/// The separation time of a flow-control frame; reserved values mean 127 ms (ISO 15765-2, 9.6.5.5).
int64_t separationTime_us(uint8_t stMin);

/// One tester's end of a conversation with one controller. Frames with other identifiers go to `onOther`.
class IsoTp {
  public:
    IsoTp(CanPort& port, IsoTpAddress address, IsoTpTiming timing = {})
        : port_(port), address_(address), timing_(timing) {}

    void setOtherFrames(std::function<void(const CanFrame&)> onOther) { onOther_ = std::move(onOther); }
    CanPort& port() { return port_; }
    const IsoTpAddress& address() const { return address_; }

    [[nodiscard]] Done send(ByteSpan message);
    /// The next whole message. Timeout when its first frame has not begun by `deadline_us` or a later one is late;
    /// BadInput when frames arrive out of order. A single or first frame in the middle begins a new message (9.8.3).
    [[nodiscard]] Result<Bytes> receive(int64_t deadline_us);
    /// Throws away what has already arrived.
    [[nodiscard]] Done drain();

    /// Longest message that is accepted; a controller that claims more is refused with an overflow.
    static constexpr uint64_t kLongestMessage = 1 << 20;

  private:
    Done sendFrame(ByteSpan payload);
    Result<CanFrame> nextFrame(int64_t deadline_us, const char* what);
    /// Waits for leave to go on; sets the block size and separation time.
    Done awaitFlowControl(uint8_t& blockSize, int64_t& separation_us);
    Result<Bytes> receiveSegmented(CanFrame first);

    CanPort& port_;
    IsoTpAddress address_;
    IsoTpTiming timing_;
    std::function<void(const CanFrame&)> onOther_;
};

/// The least time on the wire, microseconds, that a message needs from `id`: its frames back to back and one flow
/// control.
int64_t leastMessageTime_us(ByteSpan message, uint32_t id, uint8_t padding);

}  // namespace brusk::link
