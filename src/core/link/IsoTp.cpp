// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/link/IsoTp.h"

#include <algorithm>

namespace brusk::link {
namespace {

enum Pci : uint8_t { kSingle = 0x0, kFirst = 0x1, kConsecutive = 0x2, kFlowControl = 0x3 };
enum FlowStatus : uint8_t { kContinue = 0, kWait = 1, kOverflow = 2 };

CanFrame frameOf(const IsoTpAddress& address, uint32_t id, ByteSpan payload) {
    CanFrame frame;
    frame.id = id;
    frame.extended = address.extendedIds;
    frame.length = 8;
    frame.data.fill(address.padding);
    std::copy(payload.begin(), payload.end(), frame.data.begin());
    return frame;
}

/// The first frame's bytes and how many bytes of the message it carries.
std::pair<Bytes, size_t> firstFrame(ByteSpan message) {
    Bytes payload;
    if (message.size() <= 0xFFF) {
        payload = {static_cast<uint8_t>(kFirst << 4 | message.size() >> 8), static_cast<uint8_t>(message.size())};
    } else {
        payload = {kFirst << 4, 0, 0, 0, 0, 0};
        storeUnsigned(payload.data() + 2, 4, ByteOrder::BigEndian, message.size());
    }
    const size_t room = 8 - payload.size();
    payload.insert(payload.end(), message.begin(), message.begin() + static_cast<long>(room));
    return {payload, room};
}

}  // namespace

int64_t separationTime_us(uint8_t stMin) {
    if (stMin <= 0x7F) return int64_t{stMin} * 1000;
    if (stMin >= 0xF1 && stMin <= 0xF9) return int64_t{stMin - 0xF0} * 100;
    return 127000;
}

Done IsoTp::sendFrame(ByteSpan payload) {
    return port_.send(frameOf(address_, address_.requestId, payload));
}

Result<CanFrame> IsoTp::nextFrame(int64_t deadline_us, const char* what) {
    while (true) {
        auto frame = port_.receive(deadline_us);
        if (!frame) return tl::unexpected(frame.error());
        if (!*frame) return fail(ErrorCode::Timeout, std::string("No answer: ") + what + " did not come in time.");
        if ((*frame)->id == address_.responseId && (*frame)->extended == address_.extendedIds && (*frame)->length > 0)
            return **frame;
        if (onOther_) onOther_(**frame);
    }
}

Done IsoTp::awaitFlowControl(uint8_t& blockSize, int64_t& separation_us) {
    for (int waits = 0; waits <= timing_.mostWaits;) {
        const auto frame = nextFrame(port_.now_us() + timing_.waitForFlowControl_us, "flow control (N_Bs)");
        if (!frame) return tl::unexpected(frame.error());
        if (frame->data[0] >> 4 != kFlowControl || frame->length < 3) continue;
        switch (frame->data[0] & 0x0F) {
            case kContinue:
                blockSize = frame->data[1];
                separation_us = separationTime_us(frame->data[2]);
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
    return fail(ErrorCode::Timeout,
                "The controller asked to wait more than " + std::to_string(timing_.mostWaits) + " times in a row.");
}

Done IsoTp::send(ByteSpan message) {
    if (message.empty()) return fail(ErrorCode::BadInput, "An empty message can't be sent.");
    if (message.size() <= 7) {
        Bytes payload{static_cast<uint8_t>(message.size())};
        payload.insert(payload.end(), message.begin(), message.end());
        return sendFrame(payload);
    }
    auto [first, sent] = firstFrame(message);
    if (auto done = sendFrame(first); !done) return done;
    uint8_t sequence = 1;
    while (sent < message.size()) {
        uint8_t blockSize = 0;
        int64_t separation_us = 0;
        if (auto done = awaitFlowControl(blockSize, separation_us); !done) return done;
        for (int inBlock = 0; sent < message.size() && (blockSize == 0 || inBlock < blockSize); ++inBlock) {
            if (separation_us > 0) {
                // Frames of others that arrive during the pause are not lost.
                const int64_t until = port_.now_us() + separation_us;
                while (port_.now_us() < until) {
                    auto other = port_.receive(until);
                    if (!other) return tl::unexpected(other.error());
                    if (*other && onOther_) onOther_(**other);
                }
            }
            const size_t count = std::min<size_t>(7, message.size() - sent);
            Bytes payload{static_cast<uint8_t>(kConsecutive << 4 | sequence)};
            payload.insert(payload.end(), message.begin() + static_cast<long>(sent),
                           message.begin() + static_cast<long>(sent + count));
            if (auto done = sendFrame(payload); !done) return done;
            sequence = (sequence + 1) & 0x0F;
            sent += count;
        }
    }
    return {};
}

Result<Bytes> IsoTp::receive(int64_t deadline_us) {
    while (true) {
        const auto frame = nextFrame(deadline_us, "the controller's response");
        if (!frame) return tl::unexpected(frame.error());
        switch (frame->data[0] >> 4) {
            case kSingle: {
                const size_t length = frame->data[0] & 0x0F;
                if (length == 0 || length >= frame->length) break;  // ignored, as 9.6.2.2 asks
                return Bytes(frame->data.begin() + 1, frame->data.begin() + 1 + static_cast<long>(length));
            }
            case kFirst:
                return receiveSegmented(*frame);
            default:
                break;  // an unexpected consecutive or flow-control frame is ignored
        }
    }
}

Result<Bytes> IsoTp::receiveSegmented(CanFrame first) {
    static constexpr uint8_t kGoOn[] = {kFlowControl << 4 | kContinue, 0, 0};
    static constexpr uint8_t kTooLong[] = {kFlowControl << 4 | kOverflow, 0, 0};
    while (true) {
        if (first.length != 8)
            return fail(ErrorCode::BadInput,
                        "A first frame has 8 bytes; this one has " + std::to_string(first.length) + ".");
        uint64_t length = static_cast<uint64_t>(first.data[0] & 0x0F) << 8 | first.data[1];
        size_t header = 2;
        if (length == 0) {
            length = loadUnsigned(first.data.data() + 2, 4, ByteOrder::BigEndian);
            header = 6;
            if (length <= 0xFFF)
                return fail(ErrorCode::BadInput, "A first frame uses the 32-bit length for a short message.");
        }
        if (length > kLongestMessage) {
            if (auto done = sendFrame(kTooLong); !done) return tl::unexpected(done.error());
            return fail(ErrorCode::OutOfRange, "The controller announces a message of " + std::to_string(length) +
                                                   " bytes; at most " + std::to_string(kLongestMessage) +
                                                   " are taken.");
        }
        if (length <= 7)
            return fail(ErrorCode::BadInput, "A first frame announces a message that fits a single frame.");
        Bytes message(first.data.begin() + static_cast<long>(header), first.data.end());
        message.reserve(length);
        if (auto done = sendFrame(kGoOn); !done) return tl::unexpected(done.error());
        uint8_t sequence = 1;
        bool restarted = false;
        while (message.size() < length) {
            const auto frame = nextFrame(port_.now_us() + timing_.waitForConsecutive_us, "a consecutive frame (N_Cr)");
            if (!frame) return tl::unexpected(frame.error());
            const uint8_t kind = frame->data[0] >> 4;
            if (kind == kSingle && (frame->data[0] & 0x0F) > 0 && (frame->data[0] & 0x0F) < frame->length)
                return Bytes(frame->data.begin() + 1, frame->data.begin() + 1 + (frame->data[0] & 0x0F));
            if (kind == kFirst) {
                first = *frame;
                restarted = true;
                break;
            }
            if (kind != kConsecutive) continue;
            if ((frame->data[0] & 0x0F) != sequence)
                return fail(ErrorCode::BadInput, "A frame of the answer was lost: number " + std::to_string(sequence) +
                                                     " was due, " + std::to_string(frame->data[0] & 0x0F) + " came.");
            const size_t count = std::min<size_t>(frame->length - 1u, length - message.size());
            message.insert(message.end(), frame->data.begin() + 1, frame->data.begin() + 1 + static_cast<long>(count));
            sequence = (sequence + 1) & 0x0F;
        }
        if (!restarted) return message;
    }
}

Done IsoTp::drain() {
    while (true) {
        auto frame = port_.receive(port_.now_us());
        if (!frame) return tl::unexpected(frame.error());
        if (!*frame) return {};
        if ((*frame)->id != address_.responseId && onOther_) onOther_(**frame);
    }
}

int64_t leastMessageTime_us(ByteSpan message, uint32_t id, uint8_t padding) {
    const IsoTpAddress address{id, id, false, padding};
    if (message.size() <= 7) {
        Bytes payload{static_cast<uint8_t>(message.size())};
        payload.insert(payload.end(), message.begin(), message.end());
        return frameTime_us(frameOf(address, id, payload));
    }
    auto [first, sent] = firstFrame(message);
    static constexpr uint8_t kGoOn[] = {0x30, 0, 0};
    int64_t total = frameTime_us(frameOf(address, id, first)) + frameTime_us(frameOf(address, id, kGoOn));
    for (uint8_t sequence = 1; sent < message.size(); sequence = (sequence + 1) & 0x0F) {
        const size_t count = std::min<size_t>(7, message.size() - sent);
        Bytes payload{static_cast<uint8_t>(kConsecutive << 4 | sequence)};
        payload.insert(payload.end(), message.begin() + static_cast<long>(sent),
                       message.begin() + static_cast<long>(sent + count));
        total += frameTime_us(frameOf(address, id, payload));
        sent += count;
    }
    return total;
}

}  // namespace brusk::link
