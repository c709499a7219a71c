// A profile's JSON, member by member, with the place of what is wrong.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/link/Profile.h"

#include <algorithm>
#include <bit>
#include <nlohmann/json.hpp>

#include "core/base/Text.h"

namespace brusk::link {
namespace {

constexpr int64_t kSlowestPeriod_us = 10000000;

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

bool flag(const json& object, const char* key, bool otherwise) {
    if (!object.contains(key)) return otherwise;
    if (!object[key].is_boolean()) throw BadProfile{std::string("\"") + key + "\" must be true or false"};
    return object[key].get<bool>();
}

double numberOr(const json& object, const char* key, double otherwise) {
    return object.contains(key) ? number(object, key) : otherwise;
}

/// A list, of at least `least` and at most `most` entries.
const json& list(const json& object, const char* key, size_t least, size_t most) {
    const json& value = member(object, key);
    if (!value.is_array() || value.size() < least || value.size() > most)
        throw BadProfile{std::string("\"") + key + "\" must list " + std::to_string(least) + " to " +
                         std::to_string(most) + " entries"};
    return value;
}

/// Milliseconds as microseconds; a time is not negative and at most ten minutes.
int64_t milliseconds(const json& object, const char* key) {
    const double value = number(object, key);
    if (!(value >= 0 && value <= 600000))
        throw BadProfile{std::string("\"") + key + "\" must be 0 to 600000 milliseconds"};
    return static_cast<int64_t>(value * 1000);
}

/// "sector": one size for all, or a list of {"count", "size"} where they differ; 0 for an area that is never erased.
std::vector<uint32_t> sectorSizes(const json& entry, const MemoryArea& area) {
    constexpr size_t kMostSectors = 4096;
    std::vector<uint32_t> out;
    uint64_t total = 0;
    const auto add = [&](uint32_t count, uint32_t size) {
        if (size == 0 || count > kMostSectors - out.size())
            throw BadProfile{"area \"" + area.name + "\" is not a whole number (to 4096) of sectors"};
        out.insert(out.end(), count, size);
        total += uint64_t{count} * size;
    };
    const json& sector = member(entry, "sector");
    if (sector.is_array()) {
        for (const json& run : sector)
            add(whole(run, "count", kMostSectors), whole(run, "size"));
    } else {
        const uint32_t size = whole(entry, "sector");
        if (size == 0) return out;
        add(static_cast<uint32_t>(std::min<uint64_t>(area.length / size, kMostSectors + 1)), size);
    }
    if (total != area.length) throw BadProfile{"area \"" + area.name + "\" is not a whole number (to 4096) of sectors"};
    return out;
}

image::ChecksumKind checksumKind(const std::string& name) {
    using image::ChecksumKind;
    if (name == "crc32") return ChecksumKind::Crc32;
    if (name == "crc16") return ChecksumKind::Crc16;
    if (name == "sum32") return ChecksumKind::Sum32;
    if (name == "sum16") return ChecksumKind::Sum16;
    throw BadProfile{"checksum kind \"" + name + "\" is not known"};
}

void readMemory(const json& root, Profile& profile) {
    for (const json& entry : list(root, "memory", 1, 64)) {
        MemoryArea area{text(entry, "name"), whole(entry, "start"), whole(entry, "length"), {}, false};
        area.calibration = flag(entry, "calibration", false);
        if (area.length == 0 || area.end() > (uint64_t{1} << 32))
            throw BadProfile{"area \"" + area.name + "\" runs beyond the address space"};
        area.sectors = sectorSizes(entry, area);
        profile.areas.push_back(std::move(area));
    }
    for (const json& entry : list(root, "checksums", 0, 64)) {
        const image::ChecksumKind kind = checksumKind(text(entry, "kind"));
        const uint32_t repeat = entry.contains("repeat") ? whole(entry, "repeat", 4096) : 1;
        const uint32_t stride = entry.contains("stride") ? whole(entry, "stride") : 0;
        const ByteOrder order = flag(entry, "little_endian", false) ? ByteOrder::LittleEndian : ByteOrder::BigEndian;
        for (uint32_t i = 0; i < repeat; ++i)
            profile.checksums.push_back({whole(entry, "start") + i * stride, whole(entry, "length"),
                                         whole(entry, "stored_at") + i * stride, order, kind});
    }
}

void readSecurity(const json& root, Profile& profile) {
    const json& security = member(root, "security");
    profile.securityLevel = static_cast<uint8_t>(whole(security, "level", 0x7D));
    KeyAlgorithm& key = profile.key;
    key.name = text(security, "algorithm");
    if (key.name == "rotate-xor-add") {
        key.xorWith = whole(security, "xor");
        key.add = whole(security, "add");
        key.rotate = static_cast<int>(whole(security, "rotate", 31));
    } else if (key.name == "multiply-add") {
        key.multiply = whole(security, "multiply");
        key.add = whole(security, "add");
    } else if (key.name == "feedback-shift") {
        key.polynomial = whole(security, "polynomial");
        key.rounds = static_cast<int>(whole(security, "rounds", 255));
        key.xorWith = whole(security, "xor");
    } else if (key.name != "none") {
        throw BadProfile{"security algorithm \"" + key.name + "\" is not known"};
    }
}

/// "addressing" of ISO 15765-2: "normal" (by identifiers), "normal_fixed" (by target and source), "extended" (by
/// identifiers and the target in the first byte).
void readAddresses(const json& can, Profile& profile) {
    const std::string addressing = can.contains("addressing") ? text(can, "addressing") : "normal";
    IsoTpAddress& address = profile.address;
    if (addressing == "normal_fixed") {
        const auto target = static_cast<uint8_t>(whole(can, "target", 0xFF));
        const auto source = static_cast<uint8_t>(whole(can, "source", 0xFF));
        address = IsoTpAddress::normalFixed(target, source);
        profile.functionalId = IsoTpAddress::normalFixed(0x33, source, true).requestId;
    } else if (addressing == "normal" || addressing == "extended") {
        address.extendedIds = flag(can, "extended_ids", false);
        const uint32_t most = address.extendedIds ? 0x1FFFFFFF : 0x7FF;
        address.requestId = whole(can, "request", most);
        address.responseId = whole(can, "response", most);
        if (can.contains("functional")) profile.functionalId = whole(can, "functional", most);
        if (addressing == "extended") {
            address.requestTarget = static_cast<uint8_t>(whole(can, "request_target", 0xFF));
            address.responseTarget = static_cast<uint8_t>(whole(can, "response_target", 0xFF));
        }
    } else {
        throw BadProfile{"\"addressing\" must be \"normal\", \"normal_fixed\" or \"extended\""};
    }
    const json& padding = member(can, "padding");
    address.padding =
        padding.is_null() ? std::nullopt : std::optional<uint8_t>(static_cast<uint8_t>(whole(can, "padding", 0xFF)));
    profile.periodicId = whole(can, "periodic", 0x1FFFFFFF);
    if (can.contains("bitrate")) profile.bitrate = static_cast<int>(whole(can, "bitrate", 1000000));
    if (profile.bitrate < 10000) throw BadProfile{"\"bitrate\" must be 10000 to 1000000"};
}

void readTimes(const json& root, Profile& profile) {
    const json& timing = member(root, "timing_ms");
    profile.p2_us = milliseconds(timing, "p2");
    profile.p2Star_us = milliseconds(timing, "p2_star");
    profile.erasePer16KiB_us = milliseconds(timing, "erase_16_kib");
    profile.programBlock_us = milliseconds(timing, "program_block");
    const json& sampling = member(root, "sampling");
    profile.firstDynamicId = static_cast<uint16_t>(whole(sampling, "first_dynamic_id", 0xFFFF));
    profile.dynamicIds = static_cast<int>(whole(sampling, "dynamic_ids", 255));
    profile.fastPeriod_us = milliseconds(sampling, "fast_period_ms");
    profile.fastRate = static_cast<uint8_t>(whole(sampling, "fast_rate", 3));
    if (profile.fastPeriod_us < 1000) throw BadProfile{"\"fast_period_ms\" must be 1 or more"};
    int64_t faster_us = profile.fastPeriod_us;
    for (const auto& [key, period_us] : {std::pair("medium_period_ms", &profile.mediumPeriod_us),
                                         std::pair("slow_period_ms", &profile.slowPeriod_us)}) {
        if (!sampling.contains(key)) continue;
        *period_us = milliseconds(sampling, key);
        if (*period_us <= faster_us || *period_us > kSlowestPeriod_us)
            throw BadProfile{"\"" + std::string(key) + "\" must be longer than the faster ones and at most 10 s"};
        faster_us = *period_us;
    }
    if (!root.contains("ignition_off_s")) return;
    const json& off = root["ignition_off_s"];
    if (!off.is_object()) throw BadProfile{"\"ignition_off_s\" must hold times"};
    profile.ignition = {numberOr(off, "before_read", 0), numberOr(off, "before_flash", 0),
                        numberOr(off, "after_flash", 0)};
    for (const double s :
         {profile.ignition.beforeRead_s, profile.ignition.beforeFlash_s, profile.ignition.afterFlash_s})
        if (!(s >= 0 && s <= 600)) throw BadProfile{"\"ignition_off_s\" must be 0 to 600 seconds"};
}

void readFreezeFrame(const json& root, Profile& profile) {
    if (!root.contains("freeze_frame")) return;
    for (const json& entry : list(root, "freeze_frame", 0, 256)) {
        FrozenItem item;
        item.did = static_cast<uint16_t>(whole(entry, "did", 0xFFFF));
        item.label = text(entry, "label");
        item.bytes = static_cast<uint8_t>(whole(entry, "bytes", 4));
        if (item.bytes == 0) throw BadProfile{"\"bytes\" of a frozen value must be 1 to 4"};
        item.isSigned = flag(entry, "signed", false);
        item.factor = numberOr(entry, "factor", 1);
        item.offset = numberOr(entry, "offset", 0);
        item.unit = text(entry, "unit");
        profile.freezeFrame.push_back(std::move(item));
    }
}

void readGates(const json& gates, Profile& profile) {
    profile.didVoltage = static_cast<uint16_t>(whole(gates, "voltage_did", 0xFFFF));
    profile.voltageScale = number(gates, "volts_per_count");
    profile.leastVoltage = number(gates, "least_volts");
    profile.mostVoltage = numberOr(gates, "most_volts", profile.mostVoltage);
    if (!(profile.leastVoltage < profile.mostVoltage))
        throw BadProfile{"\"least_volts\" must lie below \"most_volts\""};
    profile.didEngineSpeed = static_cast<uint16_t>(whole(gates, "engine_speed_did", 0xFFFF));
}

Profile readAll(const json& root) {
    Profile profile;
    profile.name = text(root, "name");
    profile.controller = text(root, "controller");
    for (const json& entry : list(root, "hardware", 1, 256)) {
        if (!entry.is_string()) throw BadProfile{"\"hardware\" must list texts"};
        profile.hardware.push_back(entry.get<std::string>());
    }
    readAddresses(member(root, "can"), profile);
    readTimes(root, profile);
    readSecurity(root, profile);
    readMemory(root, profile);
    const json& sessions = member(root, "sessions");
    profile.sessionExtended = static_cast<uint8_t>(whole(sessions, "extended", 0x7F));
    profile.sessionProgramming = static_cast<uint8_t>(whole(sessions, "programming", 0x7F));
    profile.silenceWhileBusy = flag(sessions, "silence", false);
    for (const json& entry : list(root, "identity", 1, 64))
        profile.identity.push_back(
            {text(entry, "key"), text(entry, "label"), static_cast<uint16_t>(whole(entry, "did", 0xFFFF))});
    const json& routines = member(root, "routines");
    profile.routineErase = static_cast<uint16_t>(whole(routines, "erase", 0xFFFF));
    profile.routineChecksum = static_cast<uint16_t>(whole(routines, "checksum", 0xFFFF));
    profile.routineDependencies = static_cast<uint16_t>(whole(routines, "dependencies", 0xFFFF));
    if (routines.contains("forget")) profile.routineForget = static_cast<uint16_t>(whole(routines, "forget", 0xFFFF));
    readGates(member(root, "gates"), profile);
    readFreezeFrame(root, profile);
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
    auto value = static_cast<uint32_t>(loadUnsigned(seed.data(), 4, ByteOrder::BigEndian));
    if (name == "rotate-xor-add") {
        value = std::rotl(value ^ xorWith, rotate) + add;
    } else if (name == "multiply-add") {
        value = value * multiply + add;
    } else if (name == "feedback-shift") {
        for (int i = 0; i < rounds; ++i)
            value = value << 1 ^ (value >> 31 ? polynomial : 0);
        value ^= xorWith;
    } else {
        return fail(ErrorCode::Mismatch, "The controller asks for a key; the profile has no algorithm for one.");
    }
    Bytes out(4);
    storeUnsigned(out.data(), 4, ByteOrder::BigEndian, value);
    return out;
}

double FrozenItem::physical(uint32_t raw) const {
    const auto number = isSigned
                            ? static_cast<double>(static_cast<int32_t>(raw << (32 - 8 * bytes)) >> (32 - 8 * bytes))
                            : static_cast<double>(raw);
    return number * factor + offset;
}

Pace Profile::paceOr(Pace wanted) const {
    while (wanted != Pace::Fast && period_us(wanted) == 0)
        wanted = static_cast<Pace>(static_cast<uint8_t>(wanted) - 1);
    return wanted;
}

int64_t Profile::period_us(Pace pace) const {
    return pace == Pace::Fast ? fastPeriod_us : pace == Pace::Medium ? mediumPeriod_us : slowPeriod_us;
}

uint8_t Profile::rateByte(Pace pace) const {
    constexpr uint8_t kMedium = 0x02, kSlow = 0x01;
    return pace == Pace::Fast ? fastRate : pace == Pace::Medium ? kMedium : kSlow;
}

const FrozenItem* Profile::frozenItem(uint16_t did) const {
    for (const FrozenItem& item : freezeFrame)
        if (item.did == did) return &item;
    return nullptr;
}

std::vector<image::Sector> Profile::sectorsOf(const MemoryArea& area) const {
    std::vector<image::Sector> out;
    uint32_t at = area.start;
    for (const uint32_t size : area.sectors) {
        out.push_back({at, size});
        at += size;
    }
    return out;
}

std::vector<image::Sector> Profile::sectors() const {
    std::vector<image::Sector> out;
    for (const MemoryArea& area : areas)
        for (const image::Sector& sector : sectorsOf(area))
            out.push_back(sector);
    return out;
}

const MemoryArea* Profile::calibrationArea() const {
    for (const MemoryArea& area : areas)
        if (area.calibration) return &area;
    return nullptr;
}

namespace {

/// A request and its answer, frame after frame.
int64_t exchange_us(const Profile& profile, ByteSpan request, ByteSpan answer) {
    IsoTpAddress back = profile.address;
    std::swap(back.requestId, back.responseId);
    std::swap(back.requestTarget, back.responseTarget);
    return (leastMessageTime_us(request, profile.address) + leastMessageTime_us(answer, back)) * kBitrate /
           profile.bitrate;
}

Bytes withRange(Bytes head, uint32_t start, size_t length) {
    head.resize(head.size() + 8);
    storeUnsigned(head.data() + head.size() - 8, 4, ByteOrder::BigEndian, start);
    storeUnsigned(head.data() + head.size() - 4, 4, ByteOrder::BigEndian, length);
    return head;
}

/// Request, blocks and exit of a transfer; `up` from the controller.
int64_t transfer_us(const Profile& profile, uint32_t start, ByteSpan bytes, size_t block, bool up) {
    const uint8_t service = up ? 0x35 : 0x34;
    int64_t total = exchange_us(profile, withRange({service, 0x00, 0x44}, start, bytes.size()),
                                Bytes{static_cast<uint8_t>(service + 0x40), 0x20, 0x0F, 0xFF});
    uint8_t counter = 1;
    for (size_t at = 0; at < bytes.size(); at += block, ++counter) {
        const ByteSpan part = bytes.subspan(at, std::min(block, bytes.size() - at));
        Bytes carrier{static_cast<uint8_t>(up ? 0x76 : 0x36), counter};
        carrier.insert(carrier.end(), part.begin(), part.end());
        const Bytes other{static_cast<uint8_t>(up ? 0x36 : 0x76), counter};
        total +=
            up ? exchange_us(profile, other, carrier) : exchange_us(profile, carrier, other) + profile.programBlock_us;
    }
    return total + exchange_us(profile, Bytes{0x37}, Bytes{0x77});
}

}  // namespace

int64_t Profile::leastRead_us(uint32_t start, ByteSpan bytes, size_t block) const {
    return transfer_us(*this, start, bytes, block, true);
}

int64_t Profile::leastFlash_us(const image::Sector& sector, ByteSpan bytes, size_t block) const {
    const auto high = static_cast<uint8_t>(routineErase >> 8), low = static_cast<uint8_t>(routineErase);
    return exchange_us(*this, withRange({0x31, 0x01, high, low, 0x44}, sector.start, sector.length),
                       Bytes{0x71, 0x01, high, low, 0x00}) +
           erasePer16KiB_us * sector.length / 16384 + transfer_us(*this, sector.start, bytes, block, false) +
           transfer_us(*this, sector.start, bytes, block, true);
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
