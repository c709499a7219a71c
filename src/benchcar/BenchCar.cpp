// SPDX-License-Identifier: GPL-3.0-or-later
#include "benchcar/BenchCar.h"

#include <algorithm>
#include <cmath>

namespace brusk::benchcar {

BenchCar::BenchCar(const Parts& parts, uint64_t seed)
    : plant_(parts, seed), controller_(memory_), diagnostics_(memory_, controller_) {
    programStockFlash(memory_);
    powerCycle();
}

void BenchCar::powerCycle() {
    controller_.powerUp();
    diagnostics_.powerUp(!flashIsValid(memory_));
    commands_ = {};
    diagnostics_.setVehicle(0, static_cast<int>(plant_.state().battery_V * 1000));
}

void BenchCar::startRoute(const Route& route) {
    plant_.setRoute(route);
}

void BenchCar::stopRoute() {
    plant_.stopRoute();
    plant_.setIgnition(false);
}

void BenchCar::advanceTo(int64_t now_us) {
    while ((tick_ + 1) * 1000 <= now_us) {
        ++tick_;
        now_us_ = tick_ * 1000;
        millisecond();
    }
    now_us_ = std::max(now_us_, now_us);
    if (diagnostics_.takeReset(now_us_)) powerCycle();
}

void BenchCar::millisecond() {
    plant_.step(commands_);
    if (tick_ % 10 != 0) return;
    if (diagnostics_.bootMode() || !plant_.ignition()) {
        // No valid program or no ignition: the engine gets neither fuel nor spark, diagnostics still answer.
        commands_ = {};
        memory_.put8(map::ram::kEngineState, 0);
        memory_.put16(map::ram::kSpeed, 0);
    } else {
        commands_ = controller_.step(plant_.sensors());
    }
    diagnostics_.setVehicle(static_cast<int>(plant_.state().speed_rpm),
                            static_cast<int>(plant_.state().battery_V * 1000));
    diagnostics_.tick(now_us_);
    // The wideband sends by itself, 100 times a second: lambda 0.0001, status, counter.
    link::CanFrame frame;
    frame.id = kWidebandId;
    frame.length = 4;
    const int lambda = static_cast<int>(std::lround(plant_.state().wideband * 10000));
    frame.data[0] = static_cast<uint8_t>(lambda >> 8);
    frame.data[1] = static_cast<uint8_t>(lambda);
    frame.data[2] = plant_.ignition() ? 1 : 0;
    frame.data[3] = widebandCounter_++;
    if (wideband_.size() < 4) wideband_.push_back(frame);
}

void BenchCar::receive(const link::CanFrame& frame) {
    diagnostics_.receive(frame, now_us_);
}

std::optional<link::CanFrame> BenchCar::nextFrame() {
    // Arbitration among the car's own nodes: the wideband's identifier is the lowest.
    if (!wideband_.empty()) {
        const link::CanFrame frame = wideband_.front();
        wideband_.pop_front();
        return frame;
    }
    return diagnostics_.nextFrame(now_us_);
}

int64_t BenchCar::nextEvent_us() const {
    const int64_t next10ms = (tick_ / 10 + 1) * 10000;
    const auto diagnostic = diagnostics_.nextTime_us();
    return diagnostic ? std::min(next10ms, std::max(*diagnostic, now_us_)) : next10ms;
}

}  // namespace brusk::benchcar
