// SPDX-License-Identifier: GPL-3.0-or-later
#include "benchcar/Diagnostics.h"

#include <algorithm>
#include <bit>

namespace brusk::benchcar {

namespace {

constexpr uint32_t kRequestId = 0x7E0, kResponseId = 0x7E8, kPeriodicId = 0x5E8;
constexpr int64_t kThinking_us = 400;  // between the last frame of a request and the first of its answer
constexpr int64_t kSessionTimeout_us = 5000000;
constexpr int64_t kLockOut_us = 10000000;
constexpr int kMostWrongKeys = 3;
constexpr size_t kMostDynamic = 24;
constexpr uint32_t kKeyXor = 0x5A17C3E9, kKeyAdd = 0x0BADBEE5;

enum Refusal : uint8_t {
    kNoService = 0x11,
    kNoSubFunction = 0x12,
    kWrongLength = 0x13,
    kConditions = 0x22,
    kSequence = 0x24,
    kOutOfRange = 0x31,
    kDenied = 0x33,
    kWrongKey = 0x35,
    kTooManyKeys = 0x36,
    kKeyDelay = 0x37,
    kNotAccepted = 0x70,
    kProgramming = 0x72,
    kWrongBlock = 0x73,
    kPendingCode = 0x78,
    kNotInSession = 0x7F
};

uint32_t get32(const Message& m, size_t at) {
    return static_cast<uint32_t>(m[at]) << 24 | static_cast<uint32_t>(m[at + 1]) << 16 |
           static_cast<uint32_t>(m[at + 2]) << 8 | m[at + 3];
}

}  // namespace

Diagnostics::Diagnostics(ControllerMemory& memory, Controller& controller)
    : memory_(memory), controller_(controller), transport_(kRequestId, kResponseId) {}

void Diagnostics::powerUp(bool bootMode) {
    transport_.reset();
    pending_.clear();
    periodicFrames_.clear();
    session_ = 1;
    unlocked_ = resetAsked_ = anyBlock_ = false;
    direction_ = Direction::None;
    dynamic_.clear();
    periodic_.clear();
    bootMode_ = bootMode;
}

bool Diagnostics::takeReset(int64_t) {
    if (!resetAsked_ || transport_.sending() || !pending_.empty()) return false;
    resetAsked_ = false;
    return true;
}

void Diagnostics::receive(const link::CanFrame& frame, int64_t now_us) {
    if (const auto request = transport_.receive(frame, now_us)) serve(*request, now_us);
}

void Diagnostics::serve(const Message& request, int64_t now_us) {
    lastRequest_us_ = now_us;
    Message response = answer(request, now_us);
    // Tester present with the bit that wants no answer.
    const bool quiet = request.size() == 2 && request[0] == 0x3E && request[1] & 0x80;
    if (!quiet && !response.empty()) pending_.push_front({now_us + kThinking_us, std::move(response), {}});
}

Message Diagnostics::later(uint8_t service, int64_t duration_us, int64_t now_us, Message response,
                           std::function<void()> action) {
    pending_.push_back({now_us + kThinking_us + duration_us, std::move(response), std::move(action)});
    return refuse(service, kPendingCode);
}

std::optional<link::CanFrame> Diagnostics::nextFrame(int64_t now_us) {
    if (!pending_.empty() && pending_.front().at_us <= now_us && !transport_.sending()) {
        Pending due = std::move(pending_.front());
        pending_.pop_front();
        if (due.action) due.action();
        transport_.send(due.message, now_us);
    }
    if (auto frame = transport_.nextFrame(now_us)) return frame;
    if (periodicFrames_.empty()) return std::nullopt;
    const link::CanFrame frame = periodicFrames_.front();
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
    if (session_ != 1 && now_us - lastRequest_us_ > kSessionTimeout_us) {
        session_ = 1;
        unlocked_ = false;
        direction_ = Direction::None;
        periodic_.clear();
    }
    if (periodicFrames_.size() > 2 * kMostDynamic) return;  // the bus is full: samples are lost, not queued for ever
    for (const uint8_t low : periodic_) {
        const auto found = dynamic_.find(static_cast<uint16_t>(0xF200 | low));
        if (found == dynamic_.end()) continue;
        link::CanFrame frame;
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
    switch (service) {
        case 0x10:
            return session(r);
        case 0x11:
            if (r.size() != 2) return refuse(service, kWrongLength);
            if (r[1] != 0x01) return refuse(service, kNoSubFunction);
            resetAsked_ = true;
            return {0x51, 0x01};
        case 0x14:
            if (r.size() != 4) return refuse(service, kWrongLength);
            controller_.clearCodes();
            return {0x54};
        case 0x19:
            return troubleCodes(r);
        case 0x22:
            return readId(r);
        case 0x27:
            return security(r, now_us);
        case 0x2A:
            return periodic(r);
        case 0x2C:
            return dynamicId(r);
        case 0x31:
            return routine(r, now_us);
        case 0x34:
            return beginTransfer(r, false);
        case 0x35:
            return beginTransfer(r, true);
        case 0x36:
            return transfer(r, now_us);
        case 0x37:
            if (direction_ == Direction::None) return refuse(service, kSequence);
            direction_ = Direction::None;
            return {0x77};
        case 0x3E:
            if (r.size() != 2) return refuse(service, kWrongLength);
            return {0x7E, 0x00};
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
    direction_ = Direction::None;
    periodic_.clear();
    periodicFrames_.clear();
    // P2 50 ms, P2* 5000 ms in units of 10 ms.
    return {0x50, wanted, 0x00, 0x32, 0x01, 0xF4};
}

Message Diagnostics::security(const Message& r, int64_t now_us) {
    if (session_ == 1) return refuse(0x27, kNotInSession);
    if (r.size() < 2) return refuse(0x27, kWrongLength);
    if (r[1] == 0x01) {
        if (now_us < lockedUntil_us_) return refuse(0x27, kKeyDelay);
        seed_ = unlocked_ ? 0 : static_cast<uint32_t>(now_us * 2654435761ull >> 7) | 1u;
        return {0x67,
                0x01,
                static_cast<uint8_t>(seed_ >> 24),
                static_cast<uint8_t>(seed_ >> 16),
                static_cast<uint8_t>(seed_ >> 8),
                static_cast<uint8_t>(seed_)};
    }
    if (r[1] != 0x02) return refuse(0x27, kNoSubFunction);
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

Message Diagnostics::readId(const Message& r) {
    if (r.size() != 3) return refuse(0x22, kWrongLength);
    const auto did = static_cast<uint16_t>(r[1] << 8 | r[2]);
    Message out{0x62, r[1], r[2]};
    const auto append = [&](uint32_t address, uint32_t size) {
        const auto bytes = memory_.at(address, size);
        out.insert(out.end(), bytes.begin(), bytes.end());
    };
    switch (did) {
        case 0xF190:
            append(map::kVin, map::kVinSize);
            return out;
        case 0xF18C:
            append(map::kSerial, map::kSerialSize);
            return out;
        case 0xF191:
            append(map::kHardware, map::kHardwareSize);
            return out;
        case 0xF188:
            // An application that was not programmed whole carries no trustworthy number.
            if (bootMode_) return refuse(0x22, kConditions);
            append(map::kSoftwareId, map::kSoftwareIdSize);
            return out;
        case 0xF189:
            if (bootMode_) return refuse(0x22, kConditions);
            append(map::cal::kId, map::cal::kIdSize);
            return out;
        case 0xF186:
            out.push_back(session_);
            return out;
        case 0xFD01:
            out.push_back(static_cast<uint8_t>(std::min(255, battery_mV_ / 100)));
            return out;
        case 0xFD02:
            out.push_back(static_cast<uint8_t>(engineSpeed_rpm_ >> 8));
            out.push_back(static_cast<uint8_t>(engineSpeed_rpm_));
            return out;
        default:
            return refuse(0x22, kOutOfRange);
    }
}

Message Diagnostics::troubleCodes(const Message& r) {
    if (r.size() < 2) return refuse(0x19, kWrongLength);
    if (r[1] != 0x02) return refuse(0x19, kNoSubFunction);
    if (r.size() != 3) return refuse(0x19, kWrongLength);
    constexpr uint8_t kAvailable = 0x0D;
    Message out{0x59, 0x02, kAvailable};
    for (const StoredCode& code : controller_.codes()) {
        if (!(code.status & r[2] & kAvailable)) continue;
        for (int shift = 16; shift >= 0; shift -= 8)
            out.push_back(static_cast<uint8_t>(code.code >> shift));
        out.push_back(code.status);
    }
    return out;
}

Message Diagnostics::routine(const Message& r, int64_t now_us) {
    if (session_ == 1) return refuse(0x31, kNotInSession);
    if (r.size() < 4) return refuse(0x31, kWrongLength);
    if (r[1] != 0x01) return refuse(0x31, kNoSubFunction);
    if (!unlocked_) return refuse(0x31, kDenied);
    const auto id = static_cast<uint16_t>(r[2] << 8 | r[3]);
    const bool ranged = id == 0xFF00 || id == 0x0202;
    if (ranged && (r.size() != 13 || r[4] != 0x44)) return refuse(0x31, kWrongLength);
    if (id == 0xFF00) {
        const uint32_t start = get32(r, 5);
        const uint32_t length = get32(r, 9);
        if (session_ != 2) return refuse(0x31, kNotInSession);
        const bool calibration = start >= map::kCalibration && start < map::kCalibration + map::kCalibrationSize;
        const bool application = start >= map::kApplication && start < map::kApplication + map::kApplicationSize;
        const uint32_t sector = calibration ? map::kCalibrationSector : map::kApplicationSector;
        // One whole sector at a time; the boot area is never among them.
        if (!(calibration || application) || start % sector != 0 || length != sector) return refuse(0x31, kOutOfRange);
        const int64_t duration_us = kEraseSector_us * (sector / map::kCalibrationSector);
        // The first bytes go the moment the erase begins: a power cut from here on leaves no valid checksum.
        memory_.eraseSector(start, length / 2);
        return later(0x31, duration_us, now_us, {0x71, 0x01, r[2], r[3], 0x00},
                     [this, start, length] { memory_.eraseSector(start, length); });
    }
    if (id == 0x0202) {
        const auto bytes = memory_.at(get32(r, 5), get32(r, 9));
        if (bytes.empty()) return refuse(0x31, kOutOfRange);
        const uint32_t sum = memoryCrc(bytes);
        return {0x71,
                0x01,
                r[2],
                r[3],
                static_cast<uint8_t>(sum >> 24),
                static_cast<uint8_t>(sum >> 16),
                static_cast<uint8_t>(sum >> 8),
                static_cast<uint8_t>(sum)};
    }
    if (id == 0xFF01) return {0x71, 0x01, r[2], r[3], static_cast<uint8_t>(flashIsValid(memory_) ? 0 : 1)};
    return refuse(0x31, kOutOfRange);
}

Message Diagnostics::beginTransfer(const Message& r, bool up) {
    const uint8_t service = r[0];
    if (session_ == 1) return refuse(service, kNotInSession);
    if (!unlocked_) return refuse(service, kDenied);
    if (r.size() != 11 || r[2] != 0x44) return refuse(service, kWrongLength);
    if (r[1] != 0x00) return refuse(service, kOutOfRange);
    const uint32_t start = get32(r, 3);
    const uint32_t length = get32(r, 7);
    if (direction_ != Direction::None) return refuse(service, kConditions);
    const auto bytes = memory_.at(start, length);
    if (bytes.empty()) return refuse(service, kOutOfRange);
    if (!up) {
        if (session_ != 2) return refuse(service, kNotInSession);
        if (start < map::kApplication || start >= map::kFlash + map::kFlashSize) return refuse(service, kNotAccepted);
        const bool erased = std::all_of(bytes.begin(), bytes.end(), [](uint8_t b) { return b == 0xFF; });
        if (!erased) return refuse(service, kConditions);
    }
    direction_ = up ? Direction::Up : Direction::Down;
    transferAt_ = start;
    transferEnd_ = start + length;
    blockCounter_ = 1;
    anyBlock_ = false;
    return {static_cast<uint8_t>(service + 0x40), 0x20, 0x0F, 0xFF};
}

Message Diagnostics::transfer(const Message& r, int64_t now_us) {
    if (direction_ == Direction::None) return refuse(0x36, kSequence);
    if (r.size() < 2) return refuse(0x36, kWrongLength);
    const uint32_t left = transferEnd_ - transferAt_;
    // A repeated block (its answer was lost) is confirmed again and not written twice (ISO 14229-1, 14.5.2.1).
    const bool repeated = anyBlock_ && r[1] == static_cast<uint8_t>(blockCounter_ - 1);
    if (repeated && direction_ == Direction::Down) return {0x76, r[1]};
    if (r[1] != blockCounter_) return refuse(0x36, kWrongBlock);
    if (direction_ == Direction::Up) {
        if (r.size() != 2) return refuse(0x36, kWrongLength);
        if (left == 0) return refuse(0x36, kSequence);
        const auto bytes = memory_.at(transferAt_, std::min<uint32_t>(left, 4093));
        Message out{0x76, r[1]};
        out.insert(out.end(), bytes.begin(), bytes.end());
        transferAt_ += static_cast<uint32_t>(bytes.size());
        ++blockCounter_;
        anyBlock_ = true;
        return out;
    }
    const auto count = static_cast<uint32_t>(r.size() - 2);
    if (count == 0 || count > left) return refuse(0x36, kOutOfRange);
    memory_.program(transferAt_, std::span(r).subspan(2));
    transferAt_ += count;
    const uint8_t counter = r[1];
    ++blockCounter_;
    anyBlock_ = true;
    pending_.push_back({now_us + kThinking_us + kProgramBlock_us, {0x76, counter}, {}});
    return {};
}

Message Diagnostics::dynamicId(const Message& r) {
    if (session_ != 3) return refuse(0x2C, kNotInSession);
    if (r.size() < 2) return refuse(0x2C, kWrongLength);
    if (r[1] == 0x03) {
        dynamic_.clear();
        periodic_.clear();
        return {0x6C, 0x03};
    }
    if (r[1] != 0x02) return refuse(0x2C, kNoSubFunction);
    if (r.size() < 10 || r[4] != 0x14 || (r.size() - 5) % 5 != 0) return refuse(0x2C, kWrongLength);
    const auto did = static_cast<uint16_t>(r[2] << 8 | r[3]);
    if ((did & 0xFF00) != 0xF200 || (dynamic_.size() >= kMostDynamic && !dynamic_.count(did)))
        return refuse(0x2C, kOutOfRange);
    std::vector<Place> places;
    uint32_t total = 0;
    for (size_t at = 5; at < r.size(); at += 5) {
        const Place place{get32(r, at), r[at + 4]};
        total += place.size;
        if (place.size == 0 || memory_.at(place.address, place.size).empty() || total > 7)
            return refuse(0x2C, kOutOfRange);
        places.push_back(place);
    }
    dynamic_[did] = std::move(places);
    return {0x6C, 0x02, r[2], r[3]};
}

Message Diagnostics::periodic(const Message& r) {
    if (session_ != 3) return refuse(0x2A, kNotInSession);
    if (r.size() < 2) return refuse(0x2A, kWrongLength);
    if (r[1] == 0x04) {
        periodic_.clear();
        periodicFrames_.clear();
        return {0x6A};
    }
    if (r[1] != 0x03) return refuse(0x2A, kOutOfRange);
    for (size_t i = 2; i < r.size(); ++i)
        if (!dynamic_.count(static_cast<uint16_t>(0xF200 | r[i]))) return refuse(0x2A, kOutOfRange);
    periodic_.assign(r.begin() + 2, r.end());
    return {0x6A};
}

}  // namespace brusk::benchcar
