// Segments, flow control and their times, ISO 15765-2.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/link/IsoTp.h"

#include <algorithm>

namespace brusk::link {
namespace {

enum Pci : uint8_t { kSingle = 0x0, kFirst = 0x1, kConsecutive = 0x2, kFlowControl = 0x3 };
enum FlowStatus : uint8_t { kContinue = 0, kWait = 1, kOverflow = 2 };

// What a well-behaved controller never does, however long it is waited for.
constexpr int kMostBeginnings = 8;  // first frames before one message is complete
constexpr int kMostIgnored = 200;   // frames that are no flow control while one is due
constexpr int64_t kMostDraining_us = 200000;
constexpr uint8_t kTooLong[] = {kFlowControl << 4 | kOverflow, 0, 0};

Bytes singleFrame(ByteSpan message) {
    Bytes payload{static_cast<uint8_t>(message.size())};
    payload.insert(payload.end(), message.begin(), message.end());
    return payload;
}

/// The first frame's bytes and how many bytes of the message it carries.
std::pair<Bytes, size_t> firstFrame(ByteSpan message, size_t prefix) {
    Bytes payload;
    if (message.size() <= 0xFFF) {
        payload = {static_cast<uint8_t>(kFirst << 4 | message.size() >> 8), static_cast<uint8_t>(message.size())};
    } else {
        payload = {kFirst << 4, 0, 0, 0, 0, 0};
        storeUnsigned(payload.data() + 2, 4, ByteOrder::BigEndian, message.size());
    }
    const size_t room = 8 - prefix - payload.size();
    payload.insert(payload.end(), message.begin(), message.begin() + static_cast<long>(room));
    return {payload, room};
}

Bytes consecutiveFrame(ByteSpan message, size_t at, uint8_t sequence, size_t prefix) {
    const size_t count = std::min<size_t>(7 - prefix, message.size() - at);
    Bytes payload{static_cast<uint8_t>(kConsecutive << 4 | sequence)};
    payload.insert(payload.end(), message.begin() + static_cast<long>(at),
                   message.begin() + static_cast<long>(at + count));
    return payload;
}

}  // namespace

IsoTpAddress IsoTpAddress::normalFixed(uint8_t target, uint8_t source, bool functional) {
    IsoTpAddress out;
    const uint32_t kind = functional ? 0x18DB0000u : 0x18DA0000u;
    out.requestId = kind | static_cast<uint32_t>(target << 8) | source;
    out.responseId = 0x18DA0000u | static_cast<uint32_t>(source << 8) | target;
    out.extendedIds = true;
    return out;
}

bool IsoTpAddress::isOurs(const CanFrame& frame) const {
    return frame.id == responseId && frame.extended == extendedIds && frame.length > prefix() &&
           (!responseTarget || frame.data[0] == *responseTarget);
}

CanFrame IsoTpAddress::frame(ByteSpan payload) const {
    CanFrame out;
    out.id = requestId;
    out.extended = extendedIds;
    out.length = padding ? 8 : static_cast<uint8_t>(prefix() + payload.size());
    out.data.fill(padding.value_or(0));
    if (requestTarget) out.data[0] = *requestTarget;
    std::copy(payload.begin(), payload.end(), out.data.begin() + static_cast<long>(prefix()));
    return out;
}

int64_t separationTime_us(uint8_t stMin) {
    if (stMin <= 0x7F) return int64_t{stMin} * 1000;
    if (stMin >= 0xF1 && stMin <= 0xF9) return int64_t{stMin - 0xF0} * 100;
    return 127000;
}

// --- receiving

IsoTpAssembler::Event IsoTpAssembler::take(const CanFrame& frame) {
    if (frame.length <= prefix_) return Event::Ignored;
    switch (frame.data[prefix_] >> 4) {
        case kSingle:
            return single(frame);
        case kFirst:
            return first(frame);
        case kConsecutive:
            return consecutive(frame);
        default:
            return Event::Ignored;
    }
}

IsoTpAssembler::Event IsoTpAssembler::single(const CanFrame& frame) {
    // 9.6.2.2: a length of nothing, or of more than the frame holds, is ignored.
    const size_t length = frame.data[prefix_] & 0x0F;
    if (length == 0 || length > frame.length - prefix_ - 1u) return Event::Ignored;
    const auto from = frame.data.begin() + static_cast<long>(prefix_) + 1;
    message_.assign(from, from + static_cast<long>(length));
    length_ = 0;
    return Event::Complete;
}

IsoTpAssembler::Event IsoTpAssembler::first(const CanFrame& frame) {
    if (frame.length != 8) return Event::Ignored;
    uint64_t length = static_cast<uint64_t>(frame.data[prefix_] & 0x0F) << 8 | frame.data[prefix_ + 1];
    size_t header = prefix_ + 2;
    // 9.6.3.2: a long form for what the short one holds, or a message that fits a single frame, is ignored.
    if (length == 0) {
        length = loadUnsigned(frame.data.data() + header, 4, ByteOrder::BigEndian);
        header += 4;
        if (length <= 0xFFF) return Event::Ignored;
    }
    if (length <= 7 - prefix_) return Event::Ignored;
    announced_ = length;
    length_ = 0;
    if (length > kLongestMessage) return Event::TooLong;
    length_ = length;
    message_.reserve(length);
    message_.assign(frame.data.begin() + static_cast<long>(header), frame.data.end());
    sequence_ = 1;
    return Event::Begun;
}

IsoTpAssembler::Event IsoTpAssembler::consecutive(const CanFrame& frame) {
    if (!underWay()) return Event::Ignored;
    const size_t count = std::min<uint64_t>(7 - prefix_, length_ - message_.size());
    // 9.6.4.2 wants a sequence error to end the message; a frame too short for its bytes is ignored (7.5).
    if (frame.length < prefix_ + 1 + count) return Event::Ignored;
    if ((frame.data[prefix_] & 0x0F) != sequence_) {
        expected_ = sequence_;
        received_ = frame.data[prefix_] & 0x0F;
        length_ = 0;
        return Event::WrongSequence;
    }
    const auto from = frame.data.begin() + static_cast<long>(prefix_) + 1;
    message_.insert(message_.end(), from, from + static_cast<long>(count));
    sequence_ = (sequence_ + 1) & 0x0F;
    if (message_.size() < length_) return Event::Progress;
    length_ = 0;
    return Event::Complete;
}

Result<CanFrame> IsoTp::nextFrame(int64_t deadline_us, const char* what) {
    while (true) {
        auto frame = port_.receive(deadline_us);
        if (!frame) return tl::unexpected(frame.error());
        if (!*frame) return fail(ErrorCode::Timeout, std::string("No answer: ") + what + " did not come in time.");
        if (address_.isOurs(**frame)) return **frame;
        if (onOther_) onOther_(**frame);
        // A bus full of others' frames always has one more.
        if (port_.now_us() > deadline_us)
            return fail(ErrorCode::Timeout, std::string("No answer: ") + what + " did not come in time.");
    }
}

Result<Bytes> IsoTp::receive(int64_t deadline_us) {
    using Event = IsoTpAssembler::Event;
    IsoTpAssembler assembler(address_.prefix());
    int64_t consecutiveBy_us = 0;
    for (int begun = 0;;) {
        const bool underWay = assembler.underWay();
        const auto frame = nextFrame(underWay ? consecutiveBy_us : deadline_us,
                                     underWay ? "a consecutive frame (N_Cr)" : "the controller's response");
        if (!frame) return tl::unexpected(frame.error());
        switch (assembler.take(*frame)) {
            case Event::Begun:
                if (++begun > kMostBeginnings)
                    return fail(ErrorCode::BadInput,
                                "The controller begins its answer again and again and never ends it.");
                if (auto done = sendFrame(kGoOn); !done) return tl::unexpected(done.error());
                consecutiveBy_us = port_.now_us() + timing_.waitForConsecutive_us;
                break;
            case Event::Progress:
                consecutiveBy_us = port_.now_us() + timing_.waitForConsecutive_us;
                break;
            case Event::Complete:
                return std::move(assembler.message());
            case Event::WrongSequence:
                return fail(ErrorCode::BadInput, "A frame of the answer was lost: number " +
                                                     std::to_string(assembler.expectedSequence()) + " was due, " +
                                                     std::to_string(assembler.receivedSequence()) + " came.");
            case Event::TooLong:
                if (auto done = sendFrame(kTooLong); !done) return tl::unexpected(done.error());
                return fail(ErrorCode::OutOfRange, "The controller announces a message of " +
                                                       std::to_string(assembler.announced()) + " bytes; at most " +
                                                       std::to_string(kLongestMessage) + " are taken.");
            case Event::Ignored:
                break;
        }
    }
}

Done IsoTp::drain() {
    // What a bus full of others' frames still holds after this time is not worth waiting for.
    for (const int64_t until_us = port_.now_us() + kMostDraining_us; port_.now_us() < until_us;) {
        auto frame = port_.receive(port_.now_us());
        if (!frame) return tl::unexpected(frame.error());
        if (!*frame) return {};
        if (!address_.isOurs(**frame) && onOther_) onOther_(**frame);
    }
    return {};
}

// --- sending

Done IsoTp::sendFrame(ByteSpan payload) {
    return port_.send(address_.frame(payload), port_.now_us() + timing_.send_us);
}

Done IsoTp::pause(int64_t until_us) {
    while (port_.now_us() < until_us) {
        auto other = port_.receive(until_us);
        if (!other) return tl::unexpected(other.error());
        if (*other && onOther_) onOther_(**other);
    }
    return {};
}

Done IsoTp::awaitFlowControl(uint8_t& blockSize, int64_t& separation_us) {
    const size_t at = address_.prefix();
    int ignored = 0;
    for (int waits = 0; waits <= timing_.mostWaits && ignored < kMostIgnored;) {
        const auto frame = nextFrame(port_.now_us() + timing_.waitForFlowControl_us, "flow control (N_Bs)");
        if (!frame) return tl::unexpected(frame.error());
        // What is no flow control is ignored while we send (9.8.3, half duplex).
        if (frame->data[at] >> 4 != kFlowControl || frame->length < at + 3) {
            ++ignored;
            continue;
        }
        switch (frame->data[at] & 0x0F) {
            case kContinue:
                blockSize = frame->data[at + 1];
                separation_us = separationTime_us(frame->data[at + 2]);
                return {};
            case kWait:
                ++waits;
                break;
            case kOverflow:
                return fail(ErrorCode::Refused,
                            "The controller's buffer is too small for this message (flow control: overflow).");
            default:
                return fail(ErrorCode::BadInput,
                            "The controller answered with a flow status that the standard does not know.");
        }
    }
    if (ignored >= kMostIgnored)
        return fail(ErrorCode::BadInput, "The controller sends everything but the flow control it owes.");
    return fail(ErrorCode::Timeout,
                "The controller asked to wait more than " + std::to_string(timing_.mostWaits) + " times in a row.");
}

Done IsoTp::send(ByteSpan message) {
    if (message.empty()) return fail(ErrorCode::BadInput, "An empty message can't be sent.");
    if (message.size() > 0xFFFFFFFFu) return fail(ErrorCode::OutOfRange, "A message has at most 4 GiB.");
    if (message.size() <= address_.singleRoom()) {
        if (auto done = sendFrame(singleFrame(message)); !done) return done;
    } else {
        auto [first, sent] = firstFrame(message, address_.prefix());
        if (auto done = sendFrame(first); !done) return done;
        if (auto done = sendConsecutive(message, sent); !done) return done;
    }
    // The controller's time to answer begins when the last frame is out.
    return port_.confirm(port_.now_us() + timing_.send_us);
}

Done IsoTp::sendConsecutive(ByteSpan message, size_t sent) {
    const size_t prefix = address_.prefix();
    uint8_t sequence = 1;
    while (sent < message.size()) {
        uint8_t blockSize = 0;
        int64_t separation_us = 0;
        if (auto done = awaitFlowControl(blockSize, separation_us); !done) return done;
        for (int inBlock = 0; sent < message.size() && (blockSize == 0 || inBlock < blockSize); ++inBlock) {
            if (separation_us > 0) {
                // The gap is between the end of one frame and the beginning of the next.
                if (auto done = port_.confirm(port_.now_us() + timing_.send_us); !done) return done;
                if (auto done = pause(port_.now_us() + separation_us); !done) return done;
            }
            if (auto done = sendFrame(consecutiveFrame(message, sent, sequence, prefix)); !done) return done;
            sequence = (sequence + 1) & 0x0F;
            sent += std::min<size_t>(7 - prefix, message.size() - sent);
        }
    }
    return {};
}

int64_t leastMessageTime_us(ByteSpan message, const IsoTpAddress& address) {
    if (message.size() <= address.singleRoom()) return frameTime_us(address.frame(singleFrame(message)));
    auto [first, sent] = firstFrame(message, address.prefix());
    int64_t total = frameTime_us(address.frame(first)) + frameTime_us(address.frame(kGoOn));
    for (uint8_t sequence = 1; sent < message.size(); sequence = (sequence + 1) & 0x0F) {
        total += frameTime_us(address.frame(consecutiveFrame(message, sent, sequence, address.prefix())));
        sent += std::min<size_t>(7 - address.prefix(), message.size() - sent);
    }
    return total;
}

}  // namespace brusk::link
