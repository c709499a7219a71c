// The one seam for the wire: send a frame, wait for a frame, tell the time and the state of the bus.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <chrono>
#include <functional>
#include <optional>
#include <string>
#include <thread>

#include "core/base/Result.h"
#include "core/can/CanFrame.h"

namespace brusk::link {

using can::CanFrame;
using can::frameBits;
using can::frameTime_us;
using can::kBitrate;
using can::kBitTime_us;

/// Fault confinement of ISO 11898-1, and what lies beyond it.
enum class BusState {
    Active,   ///< error active: all well
    Warning,  ///< 96 errors or more
    Passive,  ///< error passive: 128 errors or more
    Off,      ///< bus-off: the interface has left the bus
    Down      ///< no interface: switched off, unplugged, or the other process is gone
};

/// What a port knows of its bus.
struct PortStatus {
    std::string name;  ///< "can0", a socket's path, "bench car"
    int bitrate = kBitrate;
    bool bitrateKnown = true;  ///< a virtual interface has none
    BusState state = BusState::Active;
    uint64_t errorFrames = 0;  ///< seen since the port was opened
    uint64_t overruns = 0;     ///< frames lost because nobody fetched them in time
    uint64_t foreign = 0;      ///< CAN FD and remote frames, which are not for us
    /// A sentence for the user when the state is not Active; empty otherwise.
    std::string advice;
};

/// A CAN bus as the tester sees it. Used from one thread at a time.
class CanPort {
  public:
    /// Told of every frame on the wire, with its time: `ours` when this tester sent it.
    using Watcher = std::function<void(const CanFrame& frame, bool ours)>;

    virtual ~CanPort() = default;
    /// Hands a frame to the bus. Timeout when the bus did not take it by `deadline_us` (N_As and N_Ar of ISO 15765-2);
    /// LinkLost when the bus is gone.
    [[nodiscard]] virtual Done send(const CanFrame& frame, int64_t deadline_us) = 0;
    /// The same with the standard's 1000 ms.
    [[nodiscard]] Done send(const CanFrame& frame) { return send(frame, now_us() + kSendTimeout_us); }
    /// Waits until every frame handed over has been on the wire; Timeout when that is not so by `deadline_us`.
    [[nodiscard]] virtual Done confirm(int64_t deadline_us) = 0;
    /// The next frame of anybody else, or nothing when `deadline_us` passes first.
    [[nodiscard]] virtual Result<std::optional<CanFrame>> receive(int64_t deadline_us) = 0;
    /// Microseconds on the port's own clock, which never runs backwards.
    virtual int64_t now_us() const = 0;
    virtual PortStatus status() const { return {}; }
    /// Lets time pass until `until_us`, whether there is a bus or not. Frames that come meanwhile may be lost.
    virtual void wait(int64_t until_us) {
        // Frames are fetched, or they would stand in the queue and pass for new ones later.
        while (now_us() < until_us) {
            if (receive(until_us)) continue;
            std::this_thread::sleep_for(std::chrono::microseconds(until_us - now_us()));
            return;
        }
    }

    void watch(Watcher watcher) { watcher_ = std::move(watcher); }

    static constexpr int64_t kSendTimeout_us = 1000000;

  protected:
    void seen(const CanFrame& frame, bool ours) const {
        if (watcher_) watcher_(frame, ours);
    }

  private:
    Watcher watcher_;
};

}  // namespace brusk::link
