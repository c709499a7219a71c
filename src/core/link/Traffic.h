// What went over the wire: kept in memory and said in words.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <deque>
#include <map>
#include <mutex>
#include <string>
#include <string_view>
#include <vector>

#include "core/can/Candump.h"
#include "core/link/IsoTp.h"

namespace brusk::link {

using can::LoggedFrame;

/// The newest frames of a bus. Written by the link's thread, read by any.
class TrafficLog {
  public:
    explicit TrafficLog(size_t most = 400000) : most_(most) {}

    void add(const CanFrame& frame, bool ours, int bitrate = kBitrate);
    /// While it is so, frames are counted and not kept: bytes of a sealed round go over the wire.
    void keepNothing(bool on);
    void clear();
    /// Frames from number `from` on (numbers count since the log was made), at most `count`.
    std::vector<LoggedFrame> frames(uint64_t from = 0, size_t count = SIZE_MAX) const;
    /// The number the next frame will have.
    uint64_t next() const;
    /// Frames that were dropped for newer ones.
    uint64_t dropped() const;
    /// Share of the wire in use, 0 to 1, over the last second of traffic.
    double busLoad() const;

  private:
    size_t most_;
    mutable std::mutex mutex_;  // guards all below
    std::deque<LoggedFrame> frames_;
    uint64_t dropped_ = 0;
    bool keepsNothing_ = false;
    struct Slice {
        int64_t begin_us = 0;
        int64_t busy_us = 0;
    };
    std::deque<Slice> slices_;
};

/// As long as it lives, and `on` was said, the log keeps no frames.
class Unkept {
  public:
    Unkept(TrafficLog& log, bool on) : log_(on ? &log : nullptr) {
        if (log_) log_->keepNothing(true);
    }
    ~Unkept() {
        if (log_) log_->keepNothing(false);
    }
    Unkept(const Unkept&) = delete;
    Unkept& operator=(const Unkept&) = delete;

  private:
    TrafficLog* log_;
};

/// A line of traffic in words: a message with its service, or a frame that belongs to none.
struct TrafficLine {
    int64_t time_us = 0;  ///< of its last frame
    uint32_t id = 0;
    bool extended = false;
    bool ours = false;
    int frames = 1;
    Bytes bytes;       ///< of the message, or of the frame
    std::string text;  ///< "ReadDataByIdentifier 0xF190", "positive: 17 bytes", "broadcast"
    bool alarm = false;
};

/// Turns frames into lines: requests and responses of UDS and OBD are assembled and named.
class TrafficDecoder {
  public:
    /// A conversation to be assembled; others are listed frame by frame, those of one broadcast counted together.
    void know(const IsoTpAddress& address);
    /// The lines that this frame completes; mostly none or one.
    void take(const LoggedFrame& frame, std::vector<TrafficLine>& lines);

  private:
    struct Stream {
        size_t prefix = 0;
        IsoTpAssembler assembler;
        int frames = 0;
        bool request = false;
    };
    using Key = std::pair<uint32_t, bool>;
    std::map<Key, Stream> streams_;
};

/// What a UDS or OBD message says, in words; a request's service names what a response answers.
std::string messageText(ByteSpan message, bool request);

}  // namespace brusk::link
