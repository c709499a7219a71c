// Waiting advances the car; each frame holds the wire for its bit time.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "benchcar/VirtualBus.h"

#include <algorithm>
#include <chrono>
#include <limits>
#include <thread>

namespace brusk::benchcar {

namespace {

constexpr size_t kOutbox = 16;        // frames a CAN interface queues before it makes its user wait
constexpr size_t kInbox = 4096;       // frames kept for a tester that does not look; older ones are lost
constexpr int64_t kStall_us = 50000;  // a paced bus that fell behind by more than this lets the time go

int64_t wall_us() {
    return std::chrono::duration_cast<std::chrono::microseconds>(std::chrono::steady_clock::now().time_since_epoch())
        .count();
}

}  // namespace

tl::unexpected<Error> VirtualBus::lost() {
    outbox_.clear();
    inbox_.clear();
    return fail(ErrorCode::LinkLost,
                "The link to the bench car is gone: the cable is out. Plug it in and repeat the step.");
}

tl::unexpected<Error> VirtualBus::notTaken() {
    outbox_.clear();
    return fail(ErrorCode::Timeout,
                "The bus did not take a frame within a second (N_As): nobody acknowledges. Look at the plug and the "
                "ignition.");
}

Done VirtualBus::send(const can::CanFrame& frame, int64_t deadline_us) {
    while (connected_ && outbox_.size() >= kOutbox) {
        if (now_us_ >= deadline_us) return notTaken();
        step(deadline_us);
    }
    if (!connected_) return lost();
    outbox_.push_back(frame);
    return {};
}

Done VirtualBus::confirm(int64_t deadline_us) {
    while (connected_ && (!outbox_.empty() || (onWire_ && wireIsOurs_))) {
        if (now_us_ >= deadline_us) return notTaken();
        step(deadline_us);
    }
    if (!connected_) return lost();
    return {};
}

link::PortStatus VirtualBus::status() const {
    link::PortStatus out;
    out.name = "bench car";
    if (!connected_) {
        out.state = link::BusState::Down;
        out.advice = "The cable is out.";
    }
    return out;
}

bool VirtualBus::step(int64_t limit_us) {
    if (onWire_) {
        if (wireFreeAt_us_ > limit_us) {
            now_us_ = limit_us;
            car_.advanceTo(now_us_);
            return false;
        }
        now_us_ = wireFreeAt_us_;
        car_.advanceTo(now_us_);
        deliver();
        return true;
    }
    if (!carWants_) carWants_ = car_.nextFrame();
    if (jammed_) {
        const bool reached = car_.nextEvent_us() >= limit_us;
        now_us_ = std::max(now_us_, std::min(limit_us, std::max(car_.nextEvent_us(), now_us_ + 1)));
        car_.advanceTo(now_us_);
        return !reached;
    }
    if (outbox_.empty() && !carWants_) {
        const int64_t next = std::min(limit_us, car_.nextEvent_us());
        const bool reached = next >= limit_us;
        now_us_ = std::max(now_us_, next);
        car_.advanceTo(now_us_);
        return !reached;
    }
    // Arbitration: the lowest identifier wins the wire.
    wireIsOurs_ = !outbox_.empty() && (!carWants_ || outbox_.front().id < carWants_->id);
    if (wireIsOurs_) {
        onWire_ = outbox_.front();
        outbox_.pop_front();
    } else {
        onWire_ = carWants_;
        carWants_.reset();
    }
    const int64_t duration = can::frameTime_us(*onWire_);
    busy_us_ += duration;
    wireFreeAt_us_ = now_us_ + duration;
    return true;
}

void VirtualBus::deliver() {
    can::CanFrame frame = *onWire_;
    onWire_.reset();
    ++frames_;
    frame.time_us = now_us_;
    if (framesToCut_ >= 0 && framesToCut_-- == 0) {
        connected_ = false;
        return;
    }
    if (connected_) seen(frame, wireIsOurs_);
    if (keep_ && !keep_(frame)) return;
    if (wireIsOurs_) {
        car_.receive(frame);
    } else if (connected_) {
        inbox_.push_back(frame);
        if (inbox_.size() > kInbox) inbox_.pop_front();
    }
}

Result<std::optional<can::CanFrame>> VirtualBus::receive(int64_t deadline_us) {
    while (true) {
        if (!connected_) return lost();
        if (!inbox_.empty()) {
            const can::CanFrame frame = inbox_.front();
            inbox_.pop_front();
            return std::optional(frame);
        }
        if (!step(deadline_us)) return std::optional<can::CanFrame>{};
    }
}

void VirtualBus::wait(int64_t until_us) {
    if (!connected_) outbox_.clear();
    while (now_us_ < until_us)
        step(until_us);
    if (!connected_) inbox_.clear();
}

PacedBus::PacedBus(VirtualBus& bus, double timeLapse) : bus_(bus), timeLapse_(timeLapse) {
    rebase();
}

void PacedBus::rebase() {
    baseWall_us_ = wall_us();
    baseBus_us_ = bus_.now_us();
}

void PacedBus::setTimeLapse(double timeLapse) {
    timeLapse_ = timeLapse;
    rebase();
}

/// A pause of the program is not made up for by a burst.
void PacedBus::forgetPause() {
    if (static_cast<double>(allowed_us() - bus_.now_us()) > kStall_us * std::max(1.0, timeLapse_)) rebase();
}

int64_t PacedBus::allowed_us() const {
    return baseBus_us_ + static_cast<int64_t>(static_cast<double>(wall_us() - baseWall_us_) * timeLapse_);
}

Result<std::optional<can::CanFrame>> PacedBus::receive(int64_t deadline_us) {
    if (timeLapse_ <= 0) return bus_.receive(deadline_us);
    forgetPause();
    while (true) {
        const int64_t limit = std::max(bus_.now_us(), std::min(deadline_us, allowed_us()));
        auto frame = bus_.receive(limit);
        if (!frame || *frame || bus_.now_us() >= deadline_us) return frame;
        std::this_thread::sleep_for(std::chrono::microseconds(500));
    }
}

void PacedBus::wait(int64_t until_us) {
    if (timeLapse_ <= 0) return bus_.wait(until_us);
    forgetPause();
    while (bus_.now_us() < until_us) {
        bus_.wait(std::min(until_us, std::max(bus_.now_us(), allowed_us())));
        std::this_thread::sleep_for(std::chrono::microseconds(500));
    }
}

}  // namespace brusk::benchcar
