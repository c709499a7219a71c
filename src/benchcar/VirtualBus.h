// The bench car's bus in virtual time: waiting advances the simulation, and each frame holds the wire as long as it
// would at 500 kbit/s.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <atomic>
#include <deque>
#include <functional>
#include <memory>

#include "benchcar/BenchCar.h"
#include "core/link/CanPort.h"

namespace brusk::benchcar {

class VirtualBus final : public link::CanPort {
  public:
    explicit VirtualBus(BenchCar& car) : car_(car), now_us_(car.now_us()) {}

    using CanPort::send;
    Done send(const can::CanFrame& frame, int64_t deadline_us) override;
    Done confirm(int64_t deadline_us) override;
    Result<std::optional<can::CanFrame>> receive(int64_t deadline_us) override;
    int64_t now_us() const override { return now_us_; }
    link::PortStatus status() const override;
    /// The car lives on, whether the tester hears it or not.
    void wait(int64_t until_us) override;

    // --- faults
    /// Pulls the tester's cable, or plugs it in again. May be called from any thread.
    void setConnected(bool connected) { connected_ = connected; }
    bool connected() const { return connected_; }
    /// The cable is pulled after so many more frames of either side.
    void cutAfterFrames(int64_t frames) { framesToCut_ = frames; }
    /// Nobody acknowledges any more: frames stay in the queue (as with the wrong bitrate, or a tester alone on a bus).
    void setJammed(bool jammed) { jammed_ = jammed; }
    /// Called for every frame on the wire; false loses it.
    void setFrameFilter(std::function<bool(const can::CanFrame&)> keep) { keep_ = std::move(keep); }
    int64_t framesSeen() const { return frames_; }
    int64_t busyTime_us() const { return busy_us_; }
    BenchCar& car() { return car_; }

  private:
    /// Moves to the next thing that happens, at most to `limit_us`; false when nothing happened until then.
    bool step(int64_t limit_us);
    void deliver();
    tl::unexpected<Error> lost();
    tl::unexpected<Error> notTaken();

    BenchCar& car_;
    std::deque<can::CanFrame> outbox_;
    std::deque<can::CanFrame> inbox_;
    std::optional<can::CanFrame> onWire_;
    bool wireIsOurs_ = false;
    int64_t wireFreeAt_us_ = 0;
    int64_t now_us_ = 0;
    std::optional<can::CanFrame> carWants_;
    std::atomic<bool> connected_{true};
    bool jammed_ = false;
    int64_t framesToCut_ = -1;
    int64_t frames_ = 0;
    int64_t busy_us_ = 0;
    std::function<bool(const can::CanFrame&)> keep_;
};

/// The same bus (watch that one) held to the wall clock, `timeLapse` simulated seconds a second; 0 lets it run as fast
/// as it can.
class PacedBus final : public link::CanPort {
  public:
    PacedBus(VirtualBus& bus, double timeLapse);
    using CanPort::send;
    Done send(const can::CanFrame& frame, int64_t deadline_us) override { return bus_.send(frame, deadline_us); }
    Done confirm(int64_t deadline_us) override { return bus_.confirm(deadline_us); }
    link::PortStatus status() const override { return bus_.status(); }
    Result<std::optional<can::CanFrame>> receive(int64_t deadline_us) override;
    void wait(int64_t until_us) override;
    int64_t now_us() const override { return bus_.now_us(); }
    void setTimeLapse(double timeLapse);

  private:
    int64_t allowed_us() const;
    void rebase();
    void forgetPause();

    VirtualBus& bus_;
    double timeLapse_;
    int64_t baseWall_us_ = 0;
    int64_t baseBus_us_ = 0;
};

}  // namespace brusk::benchcar
