// How to talk to one family of controllers: a JSON file, nothing of it in code.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "core/image/Image.h"
#include "core/link/IsoTp.h"

namespace brusk::link {

struct MemoryArea {
    std::string name;
    uint32_t start = 0;
    uint32_t length = 0;
    uint32_t sector = 0;       ///< size of its erase sectors; 0 when it can't be erased
    bool calibration = false;  ///< holds what a tuner changes
    uint64_t end() const { return uint64_t{start} + length; }
};

struct Sector {
    uint32_t start = 0;
    uint32_t length = 0;
    bool operator==(const Sector&) const = default;
};

/// How a key follows from a seed; the algorithms are a small named set with parameters.
struct KeyAlgorithm {
    std::string name;  ///< "rotate-xor-add": rotl32(seed ^ xor, rotate) + add
    uint32_t xorWith = 0;
    uint32_t add = 0;
    int rotate = 0;
    Result<Bytes> key(ByteSpan seed) const;
};

struct IdentityItem {
    std::string key;  ///< "vin", "serial", "hardware", "software", "calibration"
    std::string label;
    uint16_t did = 0;
};

struct Profile {
    std::string name;
    std::string controller;
    std::vector<std::string> hardware;  ///< hardware numbers this profile is for
    IsoTpAddress address;
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
    uint16_t didVoltage = 0;
    double voltageScale = 0.1;  ///< volts per count
    double leastVoltage = 0;    ///< below it a flash is not begun
    uint16_t didEngineSpeed = 0;
    uint32_t periodicId = 0;  ///< CAN id of the frames with periodic data
    uint16_t firstDynamicId = 0xF200;
    int dynamicIds = 0;  ///< how many the controller keeps at once
    int64_t fastPeriod_us = 10000;
    uint8_t fastRate = 0x03;
    int64_t eraseSector_us = 0;  ///< what the controller's maker states
    int64_t programBlock_us = 0;
    std::string definitionFile;  ///< beside the profile; for the software below
    std::string definitionSoftware;

    std::vector<Sector> sectorsOf(const MemoryArea& area) const;
    /// All sectors that may be erased, in order of address.
    std::vector<Sector> sectors() const;
    const MemoryArea* calibrationArea() const;
};

/// Reads and checks a profile; the error names the key that is missing or wrong.
[[nodiscard]] Result<Profile> readProfile(std::string_view json);

}  // namespace brusk::link
