// ISO-TP from the other side, so that each checks the other.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>

#include "benchcar/diagnostics/Diagnostics.h"

namespace brusk::benchcar {

namespace {
constexpr int64_t kFlowControlTimeout_us = 1000000;  // N_Bs
constexpr int64_t kConsecutiveTimeout_us = 1000000;  // N_Cr
constexpr size_t kLongest = 4095;
}  // namespace

void ServerTransport::reset() {
    control_.clear();
    incoming_.clear();
    outgoing_.clear();
    expected_ = 0;
}

void ServerTransport::flowControl(uint8_t status) {
    can::CanFrame frame;
    frame.id = sendId_;
    frame.length = 8;
    frame.data.fill(0x55);
    frame.data[0] = static_cast<uint8_t>(0x30 | status);
    frame.data[1] = static_cast<uint8_t>(blockSize);
    frame.data[2] = separation;
    control_.push_back(frame);
}

std::optional<Message> ServerTransport::receive(const can::CanFrame& frame, int64_t now_us) {
    if (frame.id != receiveId_ || frame.extended || frame.length < 2) return std::nullopt;
    const uint8_t low = frame.data[0] & 0x0F;
    switch (frame.data[0] >> 4) {
        case 0:
            if (low == 0 || low >= frame.length) return std::nullopt;
            expected_ = 0;
            return Message(frame.data.begin() + 1, frame.data.begin() + 1 + low);
        case 1: {
            const size_t length = static_cast<size_t>(low) << 8 | frame.data[1];
            if (length == 0 || length > kLongest) {
                flowControl(2);
                return std::nullopt;
            }
            expected_ = length;
            incoming_.assign(frame.data.begin() + 2, frame.data.end());
            sequenceIn_ = 1;
            inBlock_ = 0;
            giveUpIncoming_us_ = now_us + kConsecutiveTimeout_us;
            for (int i = 0; i < waitsBeforeLeave; ++i)
                flowControl(1);
            flowControl(0);
            return std::nullopt;
        }
        case 2: {
            if (expected_ == 0) return std::nullopt;
            if (low != sequenceIn_ || now_us > giveUpIncoming_us_) {
                expected_ = 0;
                return std::nullopt;
            }
            sequenceIn_ = (sequenceIn_ + 1) & 0x0F;
            giveUpIncoming_us_ = now_us + kConsecutiveTimeout_us;
            const size_t count = std::min<size_t>(frame.length - 1u, expected_ - incoming_.size());
            incoming_.insert(incoming_.end(), frame.data.begin() + 1,
                             frame.data.begin() + 1 + static_cast<long>(count));
            if (incoming_.size() >= expected_) {
                expected_ = 0;
                return std::move(incoming_);
            }
            if (blockSize > 0 && ++inBlock_ == blockSize) {
                inBlock_ = 0;
                flowControl(0);
            }
            return std::nullopt;
        }
        case 3:
            if (outgoing_.empty() || mayGoOn_) return std::nullopt;
            if (low == 0) {
                mayGoOn_ = true;
                leftInBlock_ = frame.data[1] == 0 ? 1 << 30 : frame.data[1];
                const uint8_t st = frame.data[2];
                gap_us_ = st <= 0x7F ? st * 1000 : st >= 0xF1 && st <= 0xF9 ? (st - 0xF0) * 100 : 127000;
                readyAt_us_ = now_us;
            } else if (low == 1) {
                giveUpAt_us_ = now_us + kFlowControlTimeout_us;
            } else {
                outgoing_.clear();
            }
            return std::nullopt;
        default:
            return std::nullopt;
    }
}

void ServerTransport::send(const Message& message, int64_t now_us) {
    outgoing_ = message;
    sent_ = 0;
    sequenceOut_ = 1;
    mayGoOn_ = true;
    gap_us_ = 0;
    readyAt_us_ = now_us;
    giveUpAt_us_ = now_us + kFlowControlTimeout_us;
}

std::optional<can::CanFrame> ServerTransport::nextFrame(int64_t now_us) {
    if (!control_.empty()) {
        const can::CanFrame frame = control_.front();
        control_.pop_front();
        return frame;
    }
    if (outgoing_.empty()) return std::nullopt;
    if (!mayGoOn_) {
        if (now_us >= giveUpAt_us_) outgoing_.clear();
        return std::nullopt;
    }
    if (now_us < readyAt_us_) return std::nullopt;
    can::CanFrame frame;
    frame.id = sendId_;
    frame.length = 8;
    frame.data.fill(0x55);
    size_t header = 1;
    if (outgoing_.size() <= 7) {
        frame.data[0] = static_cast<uint8_t>(outgoing_.size());
    } else if (sent_ == 0) {
        frame.data[0] = static_cast<uint8_t>(0x10 | outgoing_.size() >> 8);
        frame.data[1] = static_cast<uint8_t>(outgoing_.size());
        header = 2;
        mayGoOn_ = false;
    } else {
        frame.data[0] = static_cast<uint8_t>(0x20 | sequenceOut_);
        sequenceOut_ = (sequenceOut_ + 1) & 0x0F;
        if (--leftInBlock_ == 0) mayGoOn_ = false, giveUpAt_us_ = now_us + kFlowControlTimeout_us;
    }
    const size_t count = std::min(8 - header, outgoing_.size() - sent_);
    std::copy_n(outgoing_.begin() + static_cast<long>(sent_), count, frame.data.begin() + static_cast<long>(header));
    // The pause begins when this frame's last bit is out.
    if (gap_us_ > 0) readyAt_us_ = now_us + gap_us_ + can::frameTime_us(frame);
    sent_ += count;
    if (sent_ == outgoing_.size()) outgoing_.clear();
    return frame;
}

std::optional<int64_t> ServerTransport::nextTime_us() const {
    if (!control_.empty()) return 0;
    if (outgoing_.empty()) return std::nullopt;
    return mayGoOn_ ? readyAt_us_ : giveUpAt_us_;
}

}  // namespace brusk::benchcar
