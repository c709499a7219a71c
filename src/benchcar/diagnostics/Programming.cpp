// Memory up and down: reading, erasing, programming, checksums.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>

#include "benchcar/diagnostics/Diagnostics.h"

namespace brusk::benchcar {

namespace {
constexpr uint32_t kLargestBlock = 0x0FFF;  // with service and counter
}

/// Lengths of one to four bytes each for address and size, as the format byte says.
Message Diagnostics::readMemory(const Message& r) {
    if (session_ == 1) return refuse(0x23, kNotInSession);
    if (r.size() < 4) return refuse(0x23, kWrongLength);
    const size_t addressBytes = r[1] & 0x0F, sizeBytes = r[1] >> 4;
    if (addressBytes < 1 || addressBytes > 4 || sizeBytes < 1 || sizeBytes > 2) return refuse(0x23, kOutOfRange);
    if (r.size() != 2 + addressBytes + sizeBytes) return refuse(0x23, kWrongLength);
    const auto number = [&](size_t at, size_t count) {
        uint32_t value = 0;
        for (size_t i = 0; i < count; ++i)
            value = value << 8 | r[at + i];
        return value;
    };
    const uint32_t address = number(2, addressBytes), size = number(2 + addressBytes, sizeBytes);
    const auto bytes = memory_.at(address, size);
    if (size == 0 || bytes.empty() || size > kLargestBlock - 1) return refuse(0x23, kOutOfRange);
    // RAM is open to everybody in this session, flash only to those who have the key.
    if (address >= map::kFlash && !unlocked_) return refuse(0x23, kDenied);
    Message out{0x63};
    out.insert(out.end(), bytes.begin(), bytes.end());
    return out;
}

Message Diagnostics::routine(const Message& r, int64_t now_us) {
    if (session_ == 1) return refuse(0x31, kNotInSession);
    if (r.size() < 4) return refuse(0x31, kWrongLength);
    const uint8_t action = r[1] & 0x7F;
    const auto id = static_cast<uint16_t>(r[2] << 8 | r[3]);
    if (action == 0x03) {
        if (id != 0xFF00) return refuse(0x31, kOutOfRange);
        if (!eraseResult_) return refuse(0x31, kSequence);
        return {0x71, 0x03, r[2], r[3], *eraseResult_};
    }
    if (action != 0x01) return refuse(0x31, kNoSubFunction);
    // A workshop may do this without the key that opens the flash.
    if (id == 0x0203) {
        controller_.forgetLearned();
        return {0x71, 0x01, r[2], r[3], 0x00};
    }
    if (!unlocked_) return refuse(0x31, kDenied);
    const bool ranged = id == 0xFF00 || id == 0x0202;
    if (ranged && (r.size() != 13 || r[4] != 0x44)) return refuse(0x31, kWrongLength);
    if (id == 0xFF00) return erase(r, now_us);
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

Message Diagnostics::erase(const Message& r, int64_t now_us) {
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
    eraseResult_ = 0x01;
    return later(0x31, duration_us, now_us, {0x71, 0x01, r[2], r[3], 0x00}, [this, start, length] {
        memory_.eraseSector(start, length);
        eraseResult_ = 0x00;
    });
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
    if (bytes.empty() || length == 0) return refuse(service, kOutOfRange);
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
    lastUpload_.clear();
    return {static_cast<uint8_t>(service + 0x40), 0x20, static_cast<uint8_t>(kLargestBlock >> 8),
            static_cast<uint8_t>(kLargestBlock)};
}

Message Diagnostics::transfer(const Message& r, int64_t now_us) {
    if (direction_ == Direction::None) return refuse(0x36, kSequence);
    if (r.size() < 2) return refuse(0x36, kWrongLength);
    const uint32_t left = transferEnd_ - transferAt_;
    // A repeated block (its answer was lost) is confirmed again and not written twice (ISO 14229-1, 14.5.2.1).
    const bool repeated = anyBlock_ && r[1] == static_cast<uint8_t>(blockCounter_ - 1);
    if (repeated) return direction_ == Direction::Down ? Message{0x76, r[1]} : lastUpload_;
    if (r[1] != blockCounter_) return refuse(0x36, kWrongBlock);
    if (direction_ == Direction::Up) {
        if (r.size() != 2) return refuse(0x36, kWrongLength);
        if (left == 0) return refuse(0x36, kSequence);
        const auto bytes = memory_.at(transferAt_, std::min<uint32_t>(left, kLargestBlock - 2));
        Message out{0x76, r[1]};
        out.insert(out.end(), bytes.begin(), bytes.end());
        transferAt_ += static_cast<uint32_t>(bytes.size());
        ++blockCounter_;
        anyBlock_ = true;
        lastUpload_ = out;
        return out;
    }
    const auto count = static_cast<uint32_t>(r.size() - 2);
    if (count == 0 || count > left) return refuse(0x36, kOutOfRange);
    if (!program(std::span(r).subspan(2))) return {};
    transferAt_ += count;
    const uint8_t counter = r[1];
    ++blockCounter_;
    anyBlock_ = true;
    pending_.push_back({now_us + kThinking_us + kProgramBlock_us, {0x76, counter}, [] {}});
    return {};
}

/// Writes the bytes, or as many of them as there is power for.
bool Diagnostics::program(std::span<const uint8_t> bytes) {
    if (powerCutAfterBytes >= 0 && powerCutAfterBytes < static_cast<int64_t>(bytes.size())) {
        memory_.program(transferAt_, bytes.first(static_cast<size_t>(powerCutAfterBytes)));
        powerCutAfterBytes = -1;
        powerCut_ = true;
        return false;
    }
    if (powerCutAfterBytes >= 0) powerCutAfterBytes -= static_cast<int64_t>(bytes.size());
    memory_.program(transferAt_, bytes);
    return true;
}

Message Diagnostics::endTransfer(const Message& r) {
    if (direction_ == Direction::None) return refuse(r[0], kSequence);
    direction_ = Direction::None;
    return {0x77};
}

}  // namespace brusk::benchcar
