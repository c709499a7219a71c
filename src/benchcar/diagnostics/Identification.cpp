// Who the controller is, what it has noticed, and the data it is asked for again and again.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>

#include "benchcar/diagnostics/Diagnostics.h"

namespace brusk::benchcar {

namespace {

constexpr size_t kMostIds = 8;  // in one request

void appendCode(Message& out, uint32_t code) {
    for (int shift = 16; shift >= 0; shift -= 8)
        out.push_back(static_cast<uint8_t>(code >> shift));
}

void append16(Message& out, int64_t value) {
    out.push_back(static_cast<uint8_t>(value >> 8));
    out.push_back(static_cast<uint8_t>(value));
}

uint32_t get24(const Message& m, size_t at) {
    return static_cast<uint32_t>(m[at]) << 16 | static_cast<uint32_t>(m[at + 1]) << 8 | m[at + 2];
}

/// The snapshot record: identifiers and their values (ISO 14229-1, 12.3): speed, pressure, coolant, intake, road speed.
void appendSnapshot(Message& out, const FreezeFrame& f) {
    const std::pair<uint16_t, int> values[] = {{0xFD02, f.speed_q / 4}, {0xFD03, f.pressure_c}, {0xFD04, f.load_r},
                                               {0xFD05, f.coolant_d},   {0xFD06, f.intake_d},   {0xFD07, f.vehicle_c},
                                               {0xFD08, f.short_c},     {0xFD09, f.long_c},     {0xFD0A, f.battery_mV}};
    out.push_back(static_cast<uint8_t>(std::size(values)));
    for (const auto& [did, value] : values) {
        append16(out, did);
        append16(out, value);
    }
}

}  // namespace

bool Diagnostics::appendId(Message& out, uint16_t did) const {
    const auto append = [&](std::span<const uint8_t> bytes) {
        out.insert(out.end(), bytes.begin(), bytes.end());
        return true;
    };
    switch (did) {
        case 0xF190:
            return append(memory_.at(map::kVin, map::kVinSize));
        case 0xF18C:
            return append(memory_.at(map::kSerial, map::kSerialSize));
        case 0xF191:
            return append(memory_.at(map::kHardware, map::kHardwareSize));
        case 0xF188:
            return append(memory_.at(map::kSoftwareId, map::kSoftwareIdSize));
        case 0xF189:
            return append(memory_.at(layout::inputs.calibrationId.at, 16));
        case 0xFD0B:
            return append(memory_.at(layout::inputs.tunerNote.at, 32));
        case 0xF198:
            return append(workshop_);
        case 0xF199:
            return append(programmingDate_);
        case 0xF186:
            out.push_back(session_);
            return true;
        case 0xFD01:
            out.push_back(static_cast<uint8_t>(std::clamp(battery_mV_ / 100, 0, 255)));
            return true;
        case 0xFD02:
            append16(out, engineSpeed_rpm_);
            return true;
        default: {
            const auto found = dynamic_.find(did);
            if (found == dynamic_.end()) return false;
            for (const Place& place : found->second)
                append(memory_.at(place.address, place.size));
            return true;
        }
    }
}

Message Diagnostics::readId(const Message& r) {
    if (r.size() < 3 || r.size() % 2 == 0 || r.size() > 1 + 2 * kMostIds) return refuse(0x22, kWrongLength);
    Message out{0x62};
    for (size_t i = 1; i < r.size(); i += 2) {
        const auto did = static_cast<uint16_t>(r[i] << 8 | r[i + 1]);
        // An application that was not programmed whole carries no trustworthy number.
        if (bootMode_ && (did == 0xF188 || did == 0xF189 || did == 0xFD0B)) return refuse(0x22, kConditions);
        append16(out, did);
        // One that is not known spoils nothing when others are asked for with it.
        if (!appendId(out, did)) {
            if (r.size() == 3) return refuse(0x22, kOutOfRange);
            out.resize(out.size() - 2);
        }
    }
    return out.size() > 1 ? out : refuse(0x22, kOutOfRange);
}

Message Diagnostics::writeId(const Message& r) {
    if (session_ == 1) return refuse(0x2E, kNotInSession);
    if (r.size() < 4) return refuse(0x2E, kWrongLength);
    const auto did = static_cast<uint16_t>(r[1] << 8 | r[2]);
    const bool workshop = did == 0xF198, date = did == 0xF199;
    if (!workshop && !date) return refuse(0x2E, kOutOfRange);
    if (r.size() != 3 + (workshop ? workshop_.size() : programmingDate_.size())) return refuse(0x2E, kWrongLength);
    if (!unlocked_) return refuse(0x2E, kDenied);
    std::copy(r.begin() + 3, r.end(), workshop ? workshop_.begin() : programmingDate_.begin());
    return {0x6E, r[1], r[2]};
}

Message Diagnostics::clearCodes(const Message& r) {
    if (r.size() != 4) return refuse(0x14, kWrongLength);
    // All groups, or the emission-related ones that all of ours are.
    const uint32_t group = get24(r, 1);
    if (group != 0xFFFFFF && group != 0x000000) return refuse(0x14, kOutOfRange);
    controller_.clearCodes();
    return {0x54};
}

Message Diagnostics::troubleCodes(const Message& r) {
    if (r.size() < 2) return refuse(0x19, kWrongLength);
    const uint8_t kind = r[1] & 0x7F;
    const auto& codes = controller_.codes();
    switch (kind) {
        case 0x01: {
            if (r.size() != 3) return refuse(0x19, kWrongLength);
            const auto count = std::count_if(codes.begin(), codes.end(), [&](const StoredCode& code) {
                return code.status & r[2] & status::kAvailable;
            });
            return {0x59, 0x01, status::kAvailable, 0x01, 0x00, static_cast<uint8_t>(count)};
        }
        case 0x02:
        case 0x0A: {
            if (r.size() != (kind == 0x02 ? 3u : 2u)) return refuse(0x19, kWrongLength);
            Message out{0x59, kind, status::kAvailable};
            for (const StoredCode& code : codes) {
                if (kind == 0x02 && !(code.status & r[2] & status::kAvailable)) continue;
                appendCode(out, code.code);
                out.push_back(code.status);
            }
            return out;
        }
        case 0x03: {
            if (r.size() != 2) return refuse(0x19, kWrongLength);
            Message out{0x59, 0x03};
            for (const StoredCode& code : codes)
                if (code.status & status::kConfirmed) {
                    appendCode(out, code.code);
                    out.push_back(0x01);
                }
            return out;
        }
        case 0x04:
            return snapshot(r);
        case 0x06:
            return extended(r);
        default:
            return refuse(0x19, kNoSubFunction);
    }
}

Message Diagnostics::snapshot(const Message& r) const {
    if (r.size() != 6) return refuse(0x19, kWrongLength);
    for (const StoredCode& code : controller_.codes()) {
        if (code.code != get24(r, 2)) continue;
        if (r[5] != 0x01 && r[5] != 0xFF) return refuse(0x19, kOutOfRange);
        Message out{0x59, 0x04, r[2], r[3], r[4], code.status};
        if (!(code.status & status::kConfirmed)) return out;
        out.push_back(0x01);
        appendSnapshot(out, code.frame);
        return out;
    }
    return refuse(0x19, kOutOfRange);
}

/// Extended data: record 01 counts how often the code was set.
Message Diagnostics::extended(const Message& r) const {
    if (r.size() != 6) return refuse(0x19, kWrongLength);
    for (const StoredCode& code : controller_.codes()) {
        if (code.code != get24(r, 2)) continue;
        if (r[5] != 0x01 && r[5] != 0xFF) return refuse(0x19, kOutOfRange);
        return {0x59, 0x06, r[2], r[3], r[4], code.status, 0x01, static_cast<uint8_t>(std::min(code.occurrences, 255))};
    }
    return refuse(0x19, kOutOfRange);
}

Message Diagnostics::dynamicId(const Message& r) {
    if (session_ != 3) return refuse(0x2C, kNotInSession);
    if (r.size() < 2) return refuse(0x2C, kWrongLength);
    if (r[1] == 0x03) {
        if (r.size() != 2 && r.size() != 4) return refuse(0x2C, kWrongLength);
        if (r.size() == 2) {
            dynamic_.clear();
            periodic_.clear();
            return {0x6C, 0x03};
        }
        const auto did = static_cast<uint16_t>(r[2] << 8 | r[3]);
        if (!dynamic_.erase(did)) return refuse(0x2C, kOutOfRange);
        stopPeriodic(r[3]);
        return {0x6C, 0x03, r[2], r[3]};
    }
    if (r[1] != 0x01 && r[1] != 0x02) return refuse(0x2C, kNoSubFunction);
    return defineDynamic(r);
}

/// Made of pieces of other identifiers (01) or of memory (02); at most seven bytes, what a periodic frame carries.
Message Diagnostics::defineDynamic(const Message& r) {
    const bool byMemory = r[1] == 0x02;
    const size_t head = byMemory ? 5 : 4, each = byMemory ? 5 : 4;
    if (r.size() < head + each || (r.size() - head) % each != 0) return refuse(0x2C, kWrongLength);
    if (byMemory && r[4] != 0x14) return refuse(0x2C, kWrongLength);
    const auto did = static_cast<uint16_t>(r[2] << 8 | r[3]);
    if ((did & 0xFF00) != 0xF200 || (dynamic_.size() >= kMostDynamic && !dynamic_.count(did)))
        return refuse(0x2C, kOutOfRange);
    std::vector<Place> places;
    uint32_t total = 0;
    for (size_t i = head; i < r.size(); i += each) {
        Place place{};
        if (byMemory) {
            place = {get32(r, i), r[i + 4]};
        } else {
            // Identifiers that lie in memory as they are: their place, from the given byte on.
            const auto source = static_cast<uint16_t>(r[i] << 8 | r[i + 1]);
            const uint32_t base = source == 0xF190   ? map::kVin
                                  : source == 0xF18C ? map::kSerial
                                  : source == 0xF191 ? map::kHardware
                                                     : 0;
            if (base == 0 || r[i + 2] == 0) return refuse(0x2C, kOutOfRange);
            place = {base + r[i + 2] - 1u, r[i + 3]};
        }
        total += place.size;
        if (place.size == 0 || total > 7 || memory_.at(place.address, place.size).empty())
            return refuse(0x2C, kOutOfRange);
        places.push_back(place);
    }
    dynamic_[did] = std::move(places);
    return {0x6C, r[1], r[2], r[3]};
}

Message Diagnostics::periodic(const Message& r) {
    if (session_ != 3) return refuse(0x2A, kNotInSession);
    if (r.size() < 2) return refuse(0x2A, kWrongLength);
    if (r[1] == 0x04) {
        if (r.size() == 2) periodic_.clear();
        for (size_t i = 2; i < r.size(); ++i)
            stopPeriodic(r[i]);
        if (periodic_.empty()) periodicFrames_.clear();
        return {0x6A};
    }
    // Five times a second, twenty, or a hundred times; each identifier at the pace it was asked for last.
    if (r[1] < 0x01 || r[1] > 0x03) return refuse(0x2A, kOutOfRange);
    if (r.size() < 3) return refuse(0x2A, kWrongLength);
    for (size_t i = 2; i < r.size(); ++i)
        if (!dynamic_.count(static_cast<uint16_t>(0xF200 | r[i]))) return refuse(0x2A, kOutOfRange);
    const int64_t every = r[1] == 0x01 ? 20 : r[1] == 0x02 ? 5 : 1;
    for (size_t i = 2; i < r.size(); ++i) {
        stopPeriodic(r[i]);
        periodic_.push_back({r[i], every});
    }
    return {0x6A};
}

void Diagnostics::stopPeriodic(uint8_t low) {
    std::erase_if(periodic_, [low](const Periodic& one) { return one.low == low; });
}

}  // namespace brusk::benchcar
