// UDS services of the boot loader and the application, with their sessions and keys.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "benchcar/diagnostics/Diagnostics.h"

#include <algorithm>
#include <bit>

namespace brusk::benchcar {

namespace {

constexpr uint32_t kRequestId = 0x7E0, kResponseId = 0x7E8, kFunctionalId = 0x7DF, kPeriodicId = 0x5E8;
constexpr int64_t kSessionTimeout_us = 5000000;
constexpr int64_t kLockOut_us = 10000000;
constexpr int kMostWrongKeys = 3;
constexpr uint32_t kKeyXor = 0x5A17C3E9, kKeyAdd = 0x0BADBEE5;

/// Services whose second byte is a sub-function with a bit that asks for silence.
bool hasSubFunction(uint8_t service) {
    return service == 0x10 || service == 0x11 || service == 0x19 || service == 0x27 || service == 0x28 ||
           service == 0x31 || service == 0x3E || service == 0x85;
}

/// What a controller without a valid program still serves.
bool servedInBoot(uint8_t service) {
    return hasSubFunction(service) ? service != 0x19 : (service >= 0x34 && service <= 0x37) || service == 0x22;
}

}  // namespace

uint32_t get32(const Message& m, size_t at) {
    return static_cast<uint32_t>(m[at]) << 24 | static_cast<uint32_t>(m[at + 1]) << 16 |
           static_cast<uint32_t>(m[at + 2]) << 8 | m[at + 3];
}

Diagnostics::Diagnostics(ControllerMemory& memory, Controller& controller)
    : memory_(memory),
      controller_(controller),
      obd_(memory, controller),
      transport_(kRequestId, kResponseId),
      functional_(kFunctionalId, kResponseId) {
    workshop_.fill(' ');
}

void Diagnostics::powerUp(bool bootMode) {
    transport_.reset();
    functional_.reset();
    pending_.clear();
    periodicFrames_.clear();
    session_ = 1;
    unlocked_ = resetAsked_ = anyBlock_ = false;
    talks_ = true;
    seed_ = 0;
    direction_ = Direction::None;
    eraseResult_.reset();
    dynamic_.clear();
    periodic_.clear();
    bootMode_ = bootMode;
}

bool Diagnostics::takeReset() {
    if (!resetAsked_ || transport_.sending() || !pending_.empty()) return false;
    resetAsked_ = false;
    return true;
}

void Diagnostics::receive(const can::CanFrame& frame, int64_t now_us) {
    if (const auto request = transport_.receive(frame, now_us)) serve(*request, false, now_us);
    // Addressed to all: single frames only (ISO 15765-4), answered under the controller's own identifier.
    if (frame.id == kFunctionalId && frame.length > 0 && frame.data[0] >> 4 == 0)
        if (const auto request = functional_.receive(frame, now_us)) serve(*request, true, now_us);
}

bool Diagnostics::working() const {
    return std::any_of(pending_.begin(), pending_.end(), [](const Pending& p) { return static_cast<bool>(p.action); });
}

void Diagnostics::serve(const Message& request, bool functional, int64_t now_us) {
    lastRequest_us_ = now_us;
    const bool quiet = request.size() >= 2 && hasSubFunction(request[0]) && request[1] & 0x80;
    // While flash is being erased or written there is time for a sign of life and for nothing else.
    const bool alive = request[0] == 0x3E;
    Message response = working() && !alive ? refuse(request[0], kBusy) : answer(request, now_us);
    if (response.empty()) return;
    const bool negative = response[0] == 0x7F && response.size() == 3;
    if (quiet && !negative) return;
    // Asked of everybody: who does not know it keeps silent (ISO 14229-1, 7.5).
    const uint8_t code = negative ? response[2] : 0;
    const bool notMine = code == kNoService || code == kNoSubFunction || code == kOutOfRange || code == kNotInSession;
    if (functional && notMine) return;
    pending_.push_front({now_us + kThinking_us, std::move(response), {}});
}

Message Diagnostics::later(uint8_t service, int64_t duration_us, int64_t now_us, Message response,
                           std::function<void()> action) {
    pending_.push_back({now_us + kThinking_us + duration_us, std::move(response), std::move(action)});
    return refuse(service, kPendingCode);
}

std::optional<can::CanFrame> Diagnostics::nextFrame(int64_t now_us) {
    if (!pending_.empty() && pending_.front().at_us <= now_us && !transport_.sending()) {
        Pending due = std::move(pending_.front());
        pending_.pop_front();
        if (due.action) due.action();
        transport_.send(due.message, now_us);
    }
    if (auto frame = transport_.nextFrame(now_us)) return frame;
    if (periodicFrames_.empty()) return std::nullopt;
    const can::CanFrame frame = periodicFrames_.front();
    periodicFrames_.pop_front();
    return frame;
}

std::optional<int64_t> Diagnostics::nextTime_us() const {
    if (!periodicFrames_.empty()) return 0;
    std::optional<int64_t> at = transport_.nextTime_us();
    if (!pending_.empty() && !transport_.sending())
        at = std::min(at.value_or(pending_.front().at_us), pending_.front().at_us);
    return at;
}

void Diagnostics::tick(int64_t now_us) {
    ++ticks_;
    if (session_ != 1 && now_us - lastRequest_us_ > kSessionTimeout_us) {
        session_ = 1;
        unlocked_ = false;
        talks_ = true;
        direction_ = Direction::None;
        periodic_.clear();
        controller_.diagnosis().setRecording(true);
    }
    if (periodicFrames_.size() > 2 * kMostDynamic) return;  // the bus is full: samples are lost, not queued for ever
    for (const auto& [low, every] : periodic_) {
        if (ticks_ % every != 0) continue;
        const auto found = dynamic_.find(static_cast<uint16_t>(0xF200 | low));
        if (found == dynamic_.end()) continue;
        can::CanFrame frame;
        frame.id = kPeriodicId;
        frame.data[0] = low;
        uint8_t at = 1;
        for (const Place& place : found->second)
            for (const uint8_t byte : memory_.at(place.address, place.size))
                if (at < 8) frame.data[at++] = byte;
        frame.length = at;
        periodicFrames_.push_back(frame);
    }
}

Message Diagnostics::answer(const Message& r, int64_t now_us) {
    const uint8_t service = r[0];
    if (bootMode_ && !servedInBoot(service)) return refuse(service, kNoService);
    if (Obd::serves(service)) {
        Message out = obd_.answer(r);
        return out.empty() ? refuse(service, kNoSubFunction) : out;
    }
    switch (service) {
        case 0x10:
            return session(r);
        case 0x11:
            return reset(r);
        case 0x14:
            return clearCodes(r);
        case 0x19:
            return troubleCodes(r);
        case 0x22:
            return readId(r);
        case 0x23:
            return readMemory(r);
        case 0x27:
            return security(r, now_us);
        case 0x28:
            return communication(r);
        case 0x2A:
            return periodic(r);
        case 0x2C:
            return dynamicId(r);
        case 0x2E:
            return writeId(r);
        case 0x31:
            return routine(r, now_us);
        case 0x34:
            return beginTransfer(r, false);
        case 0x35:
            return beginTransfer(r, true);
        case 0x36:
            return transfer(r, now_us);
        case 0x37:
            return endTransfer(r);
        case 0x3E:
            if (r.size() != 2) return refuse(service, kWrongLength);
            if (r[1] & 0x7F) return refuse(service, kNoSubFunction);
            return {0x7E, 0x00};
        case 0x85:
            return codeSetting(r);
        default:
            return refuse(service, kNoService);
    }
}

Message Diagnostics::session(const Message& r) {
    if (r.size() != 2) return refuse(0x10, kWrongLength);
    const uint8_t wanted = r[1] & 0x7F;
    if (wanted < 1 || wanted > 3) return refuse(0x10, kNoSubFunction);
    if (wanted == 2 && engineSpeed_rpm_ > 0) return refuse(0x10, kConditions);
    session_ = wanted;
    unlocked_ = false;
    seed_ = 0;
    direction_ = Direction::None;
    periodic_.clear();
    periodicFrames_.clear();
    if (wanted == 1) {
        talks_ = true;
        controller_.diagnosis().setRecording(true);
    }
    // P2 50 ms, P2* 5000 ms in units of 10 ms.
    return {0x50, wanted, 0x00, 0x32, 0x01, 0xF4};
}

Message Diagnostics::reset(const Message& r) {
    if (r.size() != 2) return refuse(0x11, kWrongLength);
    const uint8_t kind = r[1] & 0x7F;
    if (kind != 0x01 && kind != 0x03) return refuse(0x11, kNoSubFunction);
    if (engineSpeed_rpm_ > 0) return refuse(0x11, kConditions);
    resetAsked_ = true;
    return {0x51, kind};
}

Message Diagnostics::security(const Message& r, int64_t now_us) {
    if (session_ == 1) return refuse(0x27, kNotInSession);
    if (r.size() < 2) return refuse(0x27, kWrongLength);
    const uint8_t step = r[1] & 0x7F;
    if (step == 0x01) {
        if (r.size() != 2) return refuse(0x27, kWrongLength);
        if (now_us < lockedUntil_us_) return refuse(0x27, kKeyDelay);
        seed_ = unlocked_ ? 0 : static_cast<uint32_t>(now_us * 2654435761ull >> 7) | 1u;
        return {0x67,
                0x01,
                static_cast<uint8_t>(seed_ >> 24),
                static_cast<uint8_t>(seed_ >> 16),
                static_cast<uint8_t>(seed_ >> 8),
                static_cast<uint8_t>(seed_)};
    }
    if (step != 0x02) return refuse(0x27, kNoSubFunction);
    if (r.size() != 6) return refuse(0x27, kWrongLength);
    if (seed_ == 0) return refuse(0x27, kSequence);
    const uint32_t wanted = std::rotl(seed_ ^ kKeyXor, 11) + kKeyAdd;
    seed_ = 0;
    if (get32(r, 2) != wanted) {
        if (++wrongKeys_ < kMostWrongKeys) return refuse(0x27, kWrongKey);
        wrongKeys_ = 0;
        lockedUntil_us_ = now_us + kLockOut_us;
        return refuse(0x27, kTooManyKeys);
    }
    wrongKeys_ = 0;
    unlocked_ = true;
    return {0x67, 0x02};
}

/// Silences or frees what the controller broadcasts by itself.
Message Diagnostics::communication(const Message& r) {
    if (session_ == 1) return refuse(0x28, kNotInSession);
    if (r.size() != 3) return refuse(0x28, kWrongLength);
    const uint8_t control = r[1] & 0x7F;
    if (control > 0x03) return refuse(0x28, kNoSubFunction);
    if (r[2] != 0x01) return refuse(0x28, kOutOfRange);  // normal messages only
    talks_ = control < 2;
    return {0x68, control};
}

Message Diagnostics::codeSetting(const Message& r) {
    if (session_ == 1) return refuse(0x85, kNotInSession);
    if (r.size() != 2) return refuse(0x85, kWrongLength);
    const uint8_t setting = r[1] & 0x7F;
    if (setting != 0x01 && setting != 0x02) return refuse(0x85, kNoSubFunction);
    controller_.diagnosis().setRecording(setting == 0x01);
    return {0xC5, setting};
}

}  // namespace brusk::benchcar
