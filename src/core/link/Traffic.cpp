// A ring of frames, and a decoder that follows conversations.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/link/Traffic.h"

#include <algorithm>

#include "core/base/Text.h"
#include "core/link/Uds.h"

namespace brusk::link {

namespace {
constexpr int64_t kSlice_us = 100000;
constexpr size_t kSlices = 10;
}  // namespace

void TrafficLog::add(const CanFrame& frame, bool ours, int bitrate) {
    const std::lock_guard lock(mutex_);
    if (!keepsNothing_) frames_.push_back({frame, ours});
    if (frames_.size() > most_) frames_.pop_front(), ++dropped_;
    const int64_t begin = frame.time_us / kSlice_us * kSlice_us;
    if (slices_.empty() || slices_.back().begin_us != begin) slices_.push_back({begin, 0});
    slices_.back().busy_us += int64_t{frameBits(frame)} * 1000000 / std::max(1, bitrate);
    while (slices_.size() > 1 && slices_.front().begin_us + static_cast<int64_t>(kSlices) * kSlice_us <= begin)
        slices_.pop_front();
}

void TrafficLog::keepNothing(bool on) {
    const std::lock_guard lock(mutex_);
    keepsNothing_ = on;
}

void TrafficLog::clear() {
    const std::lock_guard lock(mutex_);
    dropped_ += frames_.size();
    frames_.clear();
}

std::vector<LoggedFrame> TrafficLog::frames(uint64_t from, size_t count) const {
    const std::lock_guard lock(mutex_);
    const uint64_t skip = from > dropped_ ? from - dropped_ : 0;
    if (skip >= frames_.size()) return {};
    const auto begin = frames_.begin() + static_cast<long>(skip);
    return {begin, begin + static_cast<long>(std::min<size_t>(count, frames_.size() - skip))};
}

uint64_t TrafficLog::next() const {
    const std::lock_guard lock(mutex_);
    return dropped_ + frames_.size();
}

uint64_t TrafficLog::dropped() const {
    const std::lock_guard lock(mutex_);
    return dropped_;
}

double TrafficLog::busLoad() const {
    const std::lock_guard lock(mutex_);
    // The slice that is still filling says nothing yet.
    if (slices_.size() < 2) return 0;
    int64_t busy = 0;
    for (size_t i = 0; i + 1 < slices_.size(); ++i)
        busy += slices_[i].busy_us;
    const int64_t span = slices_.back().begin_us - slices_.front().begin_us;
    return std::min(1.0, static_cast<double>(busy) / static_cast<double>(span));
}

// --- words

namespace {

std::string hexOf(ByteSpan bytes, size_t from, size_t count) {
    std::string out;
    char text[4];
    for (size_t i = from; i < std::min(bytes.size(), from + count); ++i) {
        std::snprintf(text, sizeof text, "%02X", bytes[i]);
        out += text;
    }
    return out;
}

/// The argument that matters most, after the service's name.
std::string argument(ByteSpan m, uint8_t service) {
    switch (service) {
        case 0x22:
        case 0x2E:
            return " 0x" + hexOf(m, 1, 2);
        case 0x31:
            return " 0x" + hexOf(m, 2, 2) + (m.size() > 8 && m[0] < 0x40 ? " at 0x" + hexOf(m, 5, 4) : std::string());
        case 0x34:
        case 0x35:
            return m[0] < 0x40 ? " 0x" + hexOf(m, 3, 4) + ", " +
                                     std::to_string(m.size() >= 11 ? loadUnsigned(&m[7], 4, ByteOrder::BigEndian) : 0) +
                                     " bytes"
                               : " blocks of " + std::to_string(m.size() >= 4 ? m[2] << 8 | m[3] : 0);
        case 0x36:
            return m.size() > 1 ? " " + std::to_string(m[1]) +
                                      (m.size() > 2 ? ", " + std::to_string(m.size() - 2) + " bytes" : std::string())
                                : std::string();
        case 0x10:
        case 0x11:
        case 0x19:
        case 0x27:
        case 0x28:
        case 0x2A:
        case 0x2C:
        case 0x85:
        case 0x01:
        case 0x09:
            return m.size() > 1 ? " " + hexOf(m, 1, 1) : std::string();
        default:
            return {};
    }
}

}  // namespace

std::string messageText(ByteSpan message, bool request) {
    if (message.empty()) return {};
    if (!request && message[0] == 0x7F && message.size() >= 3)
        return serviceName(message[1]) + (message[2] == 0x78 ? " pending: " : " refused: ") +
               negativeResponseText(message[2]);
    const auto service = static_cast<uint8_t>(request ? message[0] : message[0] - 0x40);
    const std::string name = serviceName(service);
    if (name.empty()) return "0x" + hexOf(message, 0, 1);
    return name + argument(message, service) + (request ? "" : " \u2713");
}

void TrafficDecoder::know(const IsoTpAddress& address) {
    const Stream request{address.prefix(), IsoTpAssembler(address.prefix()), 0, true};
    Stream response = request;
    response.request = false;
    streams_.insert_or_assign({address.requestId, address.extendedIds}, request);
    streams_.insert_or_assign({address.responseId, address.extendedIds}, response);
}

void TrafficDecoder::take(const LoggedFrame& logged, std::vector<TrafficLine>& lines) {
    const CanFrame& f = logged.frame;
    TrafficLine line{f.time_us, f.id, f.extended, logged.ours, 1, {}, {}, false};
    const auto found = streams_.find({f.id, f.extended});
    if (found == streams_.end()) {
        line.bytes.assign(f.data.begin(), f.data.begin() + f.length);
        lines.push_back(std::move(line));
        return;
    }
    Stream& stream = found->second;
    ++stream.frames;
    switch (stream.assembler.take(f)) {
        case IsoTpAssembler::Event::Complete:
            line.bytes = stream.assembler.message();
            line.text = messageText(line.bytes, stream.request);
            line.alarm = !stream.request && line.bytes[0] == 0x7F && line.bytes.size() > 2 && line.bytes[2] != 0x78;
            break;
        case IsoTpAssembler::Event::WrongSequence:
            line.text = "a frame was lost: number " + std::to_string(stream.assembler.expectedSequence()) +
                        " was due, " + std::to_string(stream.assembler.receivedSequence()) + " came";
            line.alarm = true;
            break;
        case IsoTpAssembler::Event::Begun:
            stream.frames = 1;
            return;
        default:
            // Flow control belongs to the other side's message; what is under way is told when it is whole.
            if (!stream.assembler.underWay()) stream.frames = 0;
            return;
    }
    line.frames = std::max(1, stream.frames);
    stream.frames = 0;
    lines.push_back(std::move(line));
}

}  // namespace brusk::link
