// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/link/Profile.h"

#include <bit>
#include <nlohmann/json.hpp>

#include "core/base/Text.h"

namespace brusk::link {
namespace {

using nlohmann::json;

/// Thrown and caught inside readProfile() only.
struct BadProfile {
    std::string message;
};

const json& member(const json& object, const char* key) {
    if (!object.is_object() || !object.contains(key)) throw BadProfile{std::string("\"") + key + "\" is missing"};
    return object[key];
}

std::string text(const json& object, const char* key) {
    const json& value = member(object, key);
    if (!value.is_string()) throw BadProfile{std::string("\"") + key + "\" must be a text"};
    return value.get<std::string>();
}

double number(const json& object, const char* key) {
    const json& value = member(object, key);
    if (!value.is_number()) throw BadProfile{std::string("\"") + key + "\" must be a number"};
    return value.get<double>();
}

/// A whole number, given as such or as "0x..." text, of at most `limit`.
uint32_t whole(const json& object, const char* key, uint64_t limit = 0xFFFFFFFF) {
    const json& value = member(object, key);
    std::optional<uint64_t> out;
    if (value.is_number_unsigned()) out = value.get<uint64_t>();
    if (value.is_string()) out = parseUnsigned(value.get<std::string>());
    if (!out || *out > limit)
        throw BadProfile{std::string("\"") + key + "\" must be a whole number of at most " + hexAddress(limit)};
    return static_cast<uint32_t>(*out);
}

void readMemory(const json& root, Profile& profile) {
    const json& areas = member(root, "memory");
    if (!areas.is_array() || areas.empty() || areas.size() > 64) throw BadProfile{"\"memory\" must list 1 to 64 areas"};
    for (const json& entry : areas) {
        MemoryArea area{text(entry, "name"), whole(entry, "start"), whole(entry, "length"), whole(entry, "sector"),
                        false};
        area.calibration = entry.value("calibration", false);
        if (area.length == 0 || area.end() > (uint64_t{1} << 32))
            throw BadProfile{"area \"" + area.name + "\" runs beyond the address space"};
        if (area.sector != 0 && (area.length % area.sector != 0 || area.length / area.sector > 4096))
            throw BadProfile{"area \"" + area.name + "\" is not a whole number (to 4096) of sectors"};
        profile.areas.push_back(std::move(area));
    }
    for (const json& entry : member(root, "checksums")) {
        if (text(entry, "kind") != "crc32")
            throw BadProfile{"checksum kind \"" + text(entry, "kind") + "\" is not known"};
        const uint32_t repeat = entry.contains("repeat") ? whole(entry, "repeat", 4096) : 1;
        const uint32_t stride = entry.contains("stride") ? whole(entry, "stride") : 0;
        for (uint32_t i = 0; i < repeat; ++i)
            profile.checksums.push_back(
                {whole(entry, "start") + i * stride, whole(entry, "length"), whole(entry, "stored_at") + i * stride});
    }
}

void readSecurity(const json& root, Profile& profile) {
    const json& security = member(root, "security");
    profile.securityLevel = static_cast<uint8_t>(whole(security, "level", 0x7D));
    profile.key.name = text(security, "algorithm");
    if (profile.key.name != "rotate-xor-add")
        throw BadProfile{"security algorithm \"" + profile.key.name + "\" is not known"};
    profile.key.xorWith = whole(security, "xor");
    profile.key.add = whole(security, "add");
    profile.key.rotate = static_cast<int>(whole(security, "rotate", 31));
}

void readAddresses(const json& root, Profile& profile) {
    const json& can = member(root, "can");
    profile.address.requestId = whole(can, "request", 0x1FFFFFFF);
    profile.address.responseId = whole(can, "response", 0x1FFFFFFF);
    profile.address.extendedIds = can.value("extended_ids", false);
    profile.address.padding = static_cast<uint8_t>(whole(can, "padding", 0xFF));
    profile.periodicId = whole(can, "periodic", 0x1FFFFFFF);
    const json& timing = member(root, "timing_ms");
    profile.p2_us = static_cast<int64_t>(number(timing, "p2") * 1000);
    profile.p2Star_us = static_cast<int64_t>(number(timing, "p2_star") * 1000);
    profile.eraseSector_us = static_cast<int64_t>(number(timing, "erase_sector") * 1000);
    profile.programBlock_us = static_cast<int64_t>(number(timing, "program_block") * 1000);
    const json& sampling = member(root, "sampling");
    profile.firstDynamicId = static_cast<uint16_t>(whole(sampling, "first_dynamic_id", 0xFFFF));
    profile.dynamicIds = static_cast<int>(whole(sampling, "dynamic_ids", 255));
    profile.fastPeriod_us = static_cast<int64_t>(number(sampling, "fast_period_ms") * 1000);
    profile.fastRate = static_cast<uint8_t>(whole(sampling, "fast_rate", 3));
    if (profile.fastPeriod_us < 1000) throw BadProfile{"\"fast_period_ms\" must be 1 or more"};
}

Profile readAll(const json& root) {
    Profile profile;
    profile.name = text(root, "name");
    profile.controller = text(root, "controller");
    for (const json& entry : member(root, "hardware"))
        profile.hardware.push_back(entry.get<std::string>());
    readAddresses(root, profile);
    readSecurity(root, profile);
    readMemory(root, profile);
    const json& sessions = member(root, "sessions");
    profile.sessionExtended = static_cast<uint8_t>(whole(sessions, "extended", 0x7F));
    profile.sessionProgramming = static_cast<uint8_t>(whole(sessions, "programming", 0x7F));
    for (const json& entry : member(root, "identity"))
        profile.identity.push_back(
            {text(entry, "key"), text(entry, "label"), static_cast<uint16_t>(whole(entry, "did", 0xFFFF))});
    const json& routines = member(root, "routines");
    profile.routineErase = static_cast<uint16_t>(whole(routines, "erase", 0xFFFF));
    profile.routineChecksum = static_cast<uint16_t>(whole(routines, "checksum", 0xFFFF));
    profile.routineDependencies = static_cast<uint16_t>(whole(routines, "dependencies", 0xFFFF));
    const json& gates = member(root, "gates");
    profile.didVoltage = static_cast<uint16_t>(whole(gates, "voltage_did", 0xFFFF));
    profile.voltageScale = number(gates, "volts_per_count");
    profile.leastVoltage = number(gates, "least_volts");
    profile.didEngineSpeed = static_cast<uint16_t>(whole(gates, "engine_speed_did", 0xFFFF));
    const json& definition = member(root, "definition");
    profile.definitionFile = text(definition, "file");
    profile.definitionSoftware = text(definition, "software");
    return profile;
}

}  // namespace

Result<Bytes> KeyAlgorithm::key(ByteSpan seed) const {
    if (seed.size() != 4)
        return fail(ErrorCode::Mismatch,
                    "The seed has " + std::to_string(seed.size()) + " bytes; the profile's key algorithm takes 4.");
    const auto value = static_cast<uint32_t>(loadUnsigned(seed.data(), 4, ByteOrder::BigEndian));
    Bytes out(4);
    storeUnsigned(out.data(), 4, ByteOrder::BigEndian, std::rotl(value ^ xorWith, rotate) + add);
    return out;
}

std::vector<Sector> Profile::sectorsOf(const MemoryArea& area) const {
    std::vector<Sector> out;
    for (uint64_t at = area.start; area.sector && at < area.end(); at += area.sector)
        out.push_back({static_cast<uint32_t>(at), area.sector});
    return out;
}

std::vector<Sector> Profile::sectors() const {
    std::vector<Sector> out;
    for (const MemoryArea& area : areas)
        for (const Sector& sector : sectorsOf(area))
            out.push_back(sector);
    return out;
}

const MemoryArea* Profile::calibrationArea() const {
    for (const MemoryArea& area : areas)
        if (area.calibration) return &area;
    return nullptr;
}

Result<Profile> readProfile(std::string_view text) {
    try {
        return readAll(json::parse(text));
    } catch (const BadProfile& bad) {
        return fail(ErrorCode::BadInput, "The controller profile can't be used: " + bad.message + ".");
    } catch (const json::exception& bad) {
        return fail(ErrorCode::BadInput, std::string("The controller profile is not valid JSON: ") + bad.what() + ".");
    }
}

}  // namespace brusk::link
