// ISO 15765-2 (2016) transport: messages of up to 4 GiB in classic CAN frames, and its client over a port.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <optional>

#include "core/base/Bytes.h"
#include "core/link/CanPort.h"

namespace brusk::link {

/// Who talks to whom, in the addressing formats of ISO 15765-2, 10.3: normal (11 or 29 bit), normal fixed (29 bit, made
/// by normalFixed()), and extended (the first data byte names the target).
struct IsoTpAddress {
    uint32_t requestId = 0x7E0;
    uint32_t responseId = 0x7E8;
    bool extendedIds = false;
    std::optional<uint8_t> padding = 0xAA;  ///< nothing: frames are only as long as they need to be
    std::optional<uint8_t> requestTarget;   ///< N_TA of what we send, with extended addressing
    std::optional<uint8_t> responseTarget;  ///< N_TA of what we get

    /// Normal fixed addressing: 18DA <target> <source> for one controller, 18DB for all of a functional address.
    static IsoTpAddress normalFixed(uint8_t target, uint8_t source, bool functional = false);
    bool isOurs(const CanFrame& frame) const;
    /// Bytes of a frame before the protocol control information: 1 with extended addressing, else 0.
    size_t prefix() const { return requestTarget ? 1 : 0; }
    /// A frame to the controller that carries `payload`.
    CanFrame frame(ByteSpan payload) const;
    /// Bytes of a single frame at most.
    size_t singleRoom() const { return 7 - prefix(); }
};

/// Timeouts of ISO 15765-2 table 19, microseconds.
struct IsoTpTiming {
    int64_t send_us = CanPort::kSendTimeout_us;  ///< N_As, N_Ar: until a frame of ours is on the wire
    int64_t waitForFlowControl_us = 1000000;     ///< N_Bs
    int64_t waitForConsecutive_us = 1000000;     ///< N_Cr
    int mostWaits = 50;                          ///< N_WFTmax: FC.WAIT frames in a row that are put up with
};

/// The separation time of a flow-control frame; reserved values mean 127 ms (ISO 15765-2, 9.6.5.5).
int64_t separationTime_us(uint8_t stMin);

/// Longest message that is accepted; a controller that claims more is refused with an overflow.
inline constexpr uint64_t kLongestMessage = 1 << 20;

/// A flow control that lets the sender go on with all of it, without a pause.
inline constexpr uint8_t kGoOn[] = {0x30, 0, 0};

/// Assembles messages from the frames of one sender: the receiving half of the standard, without a clock.
class IsoTpAssembler {
  public:
    explicit IsoTpAssembler(size_t prefix = 0) : prefix_(prefix) {}

    enum class Event {
        Ignored,        ///< not for a receiver, or one the standard has ignored (9.6, 9.8.3)
        Begun,          ///< a first frame: the caller sends a flow control
        Progress,       ///< a consecutive frame
        Complete,       ///< message() is whole
        WrongSequence,  ///< N_WRONG_SN: the message is given up
        TooLong         ///< the caller sends a flow control with overflow
    };
    Event take(const CanFrame& frame);

    bool underWay() const { return length_ != 0; }
    Bytes& message() { return message_; }
    uint64_t announced() const { return announced_; }
    int expectedSequence() const { return expected_; }
    int receivedSequence() const { return received_; }

  private:
    Event single(const CanFrame& frame);
    Event first(const CanFrame& frame);
    Event consecutive(const CanFrame& frame);

    size_t prefix_;
    Bytes message_;
    uint64_t length_ = 0;  ///< of the message under way; 0 when there is none
    uint64_t announced_ = 0;
    uint8_t sequence_ = 0;
    int expected_ = 0;
    int received_ = 0;
};

/// One tester's end of a conversation with one controller. Frames of others go to `onOther`.
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

  private:
    Done sendFrame(ByteSpan payload);
    Done sendConsecutive(ByteSpan message, size_t sent);
    Result<CanFrame> nextFrame(int64_t deadline_us, const char* what);
    /// Lets time pass; frames of others that arrive meanwhile are not lost.
    Done pause(int64_t until_us);
    /// Waits for leave to go on; sets the block size and separation time.
    Done awaitFlowControl(uint8_t& blockSize, int64_t& separation_us);

    CanPort& port_;
    IsoTpAddress address_;
    IsoTpTiming timing_;
    std::function<void(const CanFrame&)> onOther_;
};

/// The least time on the wire, microseconds, that a message needs from `address`: its frames back to back and, when it
/// has several, one flow control.
int64_t leastMessageTime_us(ByteSpan message, const IsoTpAddress& address);

}  // namespace brusk::link
