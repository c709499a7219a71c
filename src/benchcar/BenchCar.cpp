// Steps plant and controller together, and gives the bus's frames their turn.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "benchcar/BenchCar.h"

#include <algorithm>
#include <cmath>

#include "benchcar/cars/Factory.h"

namespace brusk::benchcar {

namespace {
constexpr int64_t kLate_us = 30000;
}

BenchCar::BenchCar(const Build& build, uint64_t seed)
    : plant_(build, seed), controller_(memory_), diagnostics_(memory_, controller_), busNoise_(seed + 77) {
    programFlash(memory_, modelOf(build));
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
        plant_.step(commands_);
        if (tick_ % 10 == 0) tenMilliseconds();
    }
    now_us_ = std::max(now_us_, now_us);
    if (diagnostics_.takeReset()) powerCycle();
}

void BenchCar::planFaults(FaultPlan plan) {
    plan_ = std::move(plan);
    planFrom_us_ = planAt_us_ = now_us_;
    faults() = plan_.at(0);
}

void BenchCar::obeyRoute() {
    const Leg* leg = plant_.leg();
    controller_.addSteps(leg ? leg->dutyStep : 0, leg ? leg->lambdaStep : 0);
    if (const bool off = leg && leg->keyOff; off != keyTaken_) {
        keyTaken_ = off;
        setKey(!off);
        plant_.setIgnition(!off);
    }
    if (plan_.spans().empty()) return;
    const auto seconds = [&](int64_t us) { return static_cast<double>(us - planFrom_us_) * 1e-6; };
    if (plan_.changes(seconds(planAt_us_), seconds(now_us_))) {
        const Faults before = plan_.at(seconds(planAt_us_));
        Faults next = plan_.at(seconds(now_us_));
        // A power cut that was armed before goes on counting.
        if (next.powerCutFrame == before.powerCutFrame) next.powerCutFrame = faults().powerCutFrame;
        if (next.powerCutByte == before.powerCutByte) next.powerCutByte = faults().powerCutByte;
        faults() = next;
    }
    planAt_us_ = now_us_;
}

void BenchCar::tenMilliseconds() {
    obeyRoute();
    // No valid program: the engine gets neither fuel nor spark, diagnostics still answer.
    const SensorReadings readings = plant_.sensors();
    if (diagnostics_.bootMode())
        commands_ = {};
    else
        commands_ = controller_.step(readings, plant_.ignition());
    diagnostics_.setVehicle(static_cast<int>(plant_.state().speed_rpm),
                            static_cast<int>(plant_.state().battery_V * 1000));
    diagnostics_.tick(now_us_);
    if (broadcast_.size() < 4 && wideband_ == Wideband::OmbrelW1) sendWideband();
    if (broadcast_.size() < 4 && wideband_ == Wideband::TarnL3 && tick_ % 20 == 0) sendOtherWideband();
    if (tick_ % 100 == 0 && diagnostics_.talks()) sendStatus();
    while (!late_.empty() && late_.front().at_us <= now_us_) {
        const Late due = late_.front();
        late_.pop_front();
        if (due.toCar)
            deliver(due.frame);
        else
            broadcast_.push_back(due.frame);
    }
}

/// The wideband sends by itself, 100 times a second: lambda 0.0001, status, counter.
void BenchCar::sendWideband() {
    can::CanFrame frame;
    frame.id = kWidebandId;
    frame.length = 4;
    const int lambda = std::clamp(static_cast<int>(std::lround(plant_.wideband() * 10000)), 0, 65535);
    frame.data[0] = static_cast<uint8_t>(lambda >> 8);
    frame.data[1] = static_cast<uint8_t>(lambda);
    frame.data[2] = plant_.state().widebandReady && lambda > 0 ? 1 : 0;
    frame.data[3] = widebandCounter_++;
    broadcast_.push_back(frame);
}

/// Another maker's sends 50 times a second, as the air to fuel ratio of petrol: 0.001, heater, status, supply in mV.
void BenchCar::sendOtherWideband() {
    constexpr double kPetrol = 14.7;
    can::CanFrame frame;
    frame.id = kOtherWidebandId;
    frame.length = 6;
    const auto word = [&](size_t at, double value) {
        const int counts = std::clamp(static_cast<int>(std::lround(value)), 0, 65535);
        frame.data[at] = static_cast<uint8_t>(counts);
        frame.data[at + 1] = static_cast<uint8_t>(counts >> 8);
    };
    const bool ready = plant_.state().widebandReady && plant_.wideband() > 0;
    word(0, plant_.wideband() * kPetrol * 1000);
    frame.data[2] = ready ? 90 : 250;
    frame.data[3] = ready ? 1 : 0;
    word(4, plant_.state().battery_V * 1000);
    broadcast_.push_back(frame);
}

/// What other controllers of the car listen to: speed, coolant, road speed, warning lamp.
void BenchCar::sendStatus() {
    can::CanFrame frame;
    frame.id = kStatusId;
    frame.length = 6;
    const auto bytes = [&](size_t at, int64_t value) {
        frame.data[at] = static_cast<uint8_t>(value >> 8);
        frame.data[at + 1] = static_cast<uint8_t>(value);
    };
    bytes(0, memory_.seen(layout::inputsSeen.speed));
    bytes(2, memory_.seen(layout::inputsSeen.vehicleSpeed));
    frame.data[4] =
        static_cast<uint8_t>(std::clamp<int64_t>(memory_.seen(layout::inputsSeen.coolant) / 10 + 40, 0, 255));
    frame.data[5] = static_cast<uint8_t>(memory_.seen(layout::diagnosisSeen.lamp));
    broadcast_.push_front(frame);
}

std::optional<can::CanFrame> BenchCar::disturbed(can::CanFrame frame, bool toCar) {
    const Faults& f = faults();
    if (f.busLost <= 0 && f.busLate <= 0 && f.busCorrupt <= 0) return frame;
    const double chance = static_cast<double>(busNoise_.next() >> 11) * 0x1p-53;
    if (chance < f.busLost) return std::nullopt;
    if (chance < f.busLost + f.busLate) {
        late_.push_back({now_us_ + kLate_us, frame, toCar});
        return std::nullopt;
    }
    if (chance < f.busLost + f.busLate + f.busCorrupt && frame.length > 0) {
        const uint64_t bit = busNoise_.next();
        frame.data[bit % frame.length] ^= static_cast<uint8_t>(1u << (bit >> 8) % 8);
    }
    return frame;
}

void BenchCar::countFrame() {
    int64_t& left = faults().powerCutFrame;
    if (left < 0) return;
    if (left == 0) powerCycle();
    --left;
}

void BenchCar::setKey(bool on) {
    if (on == key_) return;
    key_ = on;
    if (!on) plant_.setIgnition(false);
    if (on) powerCycle();
}

void BenchCar::receive(const can::CanFrame& frame) {
    if (!key_) return;
    countFrame();
    if (const auto arrived = disturbed(frame, true)) deliver(*arrived);
}

void BenchCar::deliver(const can::CanFrame& frame) {
    diagnostics_.powerCutAfterBytes = faults().powerCutByte;
    diagnostics_.receive(frame, now_us_);
    faults().powerCutByte = diagnostics_.powerCutAfterBytes;
    if (diagnostics_.takePowerCut()) powerCycle();
}

std::optional<can::CanFrame> BenchCar::nextFrame() {
    if (!key_) {
        broadcast_.clear();
        while (diagnostics_.nextFrame(now_us_)) {
        }
        return std::nullopt;
    }
    // Arbitration among the car's own nodes: the broadcasts' identifiers are the lowest.
    while (true) {
        std::optional<can::CanFrame> frame;
        if (!broadcast_.empty()) {
            frame = broadcast_.front();
            broadcast_.pop_front();
        } else {
            frame = diagnostics_.nextFrame(now_us_);
        }
        if (!frame) return frame;
        countFrame();
        if (auto sent = disturbed(*frame, false)) return sent;
    }
}

int64_t BenchCar::nextEvent_us() const {
    const int64_t next10ms = (tick_ / 10 + 1) * 10000;
    const auto diagnostic = diagnostics_.nextTime_us();
    return diagnostic ? std::min(next10ms, std::max(*diagnostic, now_us_)) : next10ms;
}

}  // namespace brusk::benchcar
