// How to talk to one family of controllers: a JSON file, nothing of it in code.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "core/image/Image.h"
#include "core/image/Sector.h"
#include "core/link/IsoTp.h"

namespace brusk::link {

struct MemoryArea {
    std::string name;
    uint32_t start = 0;
    uint32_t length = 0;
    std::vector<uint32_t> sectors;  ///< sizes of its erase sectors in order of address; none when it can't be erased
    bool calibration = false;       ///< holds what a tuner changes
    uint64_t end() const { return uint64_t{start} + length; }
};

/// How a key of four bytes follows from a seed of four; the algorithms are a small named set with parameters.
struct KeyAlgorithm {
    /// "rotate-xor-add": rotl32(seed ^ xor, rotate) + add.
    /// "multiply-add": seed * multiply + add.
    /// "feedback-shift": `rounds` times shifted left, xor'ed with `polynomial` when a one falls out, then xor.
    /// "none": no key is asked for.
    std::string name;
    uint32_t xorWith = 0;
    uint32_t add = 0;
    int rotate = 0;
    uint32_t multiply = 1;
    uint32_t polynomial = 0;
    int rounds = 0;
    Result<Bytes> key(ByteSpan seed) const;
};

/// An identifier in a freeze frame, and what its number means.
struct FrozenItem {
    uint16_t did = 0;
    std::string label;
    uint8_t bytes = 2;
    bool isSigned = false;
    double factor = 1;
    double offset = 0;
    std::string unit;
    double physical(uint32_t raw) const;
};

/// Where a controller wants the ignition off and on again, seconds off; 0: nowhere.
struct IgnitionCycles {
    double beforeRead_s = 0;
    double beforeFlash_s = 0;
    double afterFlash_s = 0;
};

struct IdentityItem {
    std::string key;  ///< "vin", "serial", "hardware", "software", "calibration"
    std::string label;
    uint16_t did = 0;
};

/// How often something is sampled: the transmission modes of ISO 14229-1, 0x2A.
enum class Pace : uint8_t { Fast, Medium, Slow };
inline constexpr Pace kPaces[] = {Pace::Fast, Pace::Medium, Pace::Slow};

struct Profile {
    std::string name;
    std::string controller;
    std::vector<std::string> hardware;  ///< hardware numbers this profile is for
    IsoTpAddress address;
    uint32_t functionalId = 0x7DF;  ///< of requests to all
    int bitrate = kBitrate;
    int64_t p2_us = 50000;
    int64_t p2Star_us = 5000000;
    uint8_t sessionExtended = 0x03;
    uint8_t sessionProgramming = 0x02;
    uint8_t securityLevel = 0x01;
    KeyAlgorithm key;
    std::vector<IdentityItem> identity;
    std::vector<MemoryArea> areas;
    std::vector<image::ChecksumArea> checksums;
    uint16_t routineErase = 0xFF00;
    uint16_t routineChecksum = 0x0202;
    uint16_t routineDependencies = 0xFF01;
    std::optional<uint16_t> routineForget;  ///< begins anew what the controller learned
    uint16_t didVoltage = 0;
    double voltageScale = 0.1;  ///< volts per count
    double leastVoltage = 0;    ///< below it a flash is not begun
    double mostVoltage = 100;   ///< above it neither
    std::vector<FrozenItem> freezeFrame;
    IgnitionCycles ignition;
    bool silenceWhileBusy = false;  ///< it knows CommunicationControl and ControlDTCSetting
    uint16_t didEngineSpeed = 0;
    uint32_t periodicId = 0;  ///< CAN id of the frames with periodic data
    uint16_t firstDynamicId = 0xF200;
    int dynamicIds = 0;  ///< how many the controller keeps at once
    int64_t fastPeriod_us = 10000;
    int64_t mediumPeriod_us = 0, slowPeriod_us = 0;  ///< 0: the controller has no such pace
    uint8_t fastRate = 0x03;
    int64_t erasePer16KiB_us = 0;  ///< what the controller's maker states
    int64_t programBlock_us = 0;
    std::string definitionFile;  ///< beside the profile; for the software below
    std::string definitionSoftware;

    std::vector<image::Sector> sectorsOf(const MemoryArea& area) const;
    /// All sectors that may be erased, in order of address.
    std::vector<image::Sector> sectors() const;
    const MemoryArea* calibrationArea() const;
    const FrozenItem* frozenItem(uint16_t did) const;
    /// This pace, or the next faster one that the controller has.
    Pace paceOr(Pace wanted) const;
    int64_t period_us(Pace pace) const;
    /// The mode byte of a periodic request.
    uint8_t rateByte(Pace pace) const;
    /// The least time, microseconds, in which `bytes` at `start` can be read: the frames ISO-TP needs for the upload in
    /// blocks of `block` data bytes, back to back at the bitrate.
    int64_t leastRead_us(uint32_t start, ByteSpan bytes, size_t block) const;
    /// The same for erasing, writing and reading back a sector, with the erase and program times its maker states.
    int64_t leastFlash_us(const image::Sector& sector, ByteSpan bytes, size_t block) const;
};

/// Reads and checks a profile; the error names the key that is missing or wrong.
[[nodiscard]] Result<Profile> readProfile(std::string_view json);

}  // namespace brusk::link
