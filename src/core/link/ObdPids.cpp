// The parameter ids of SAE J1979 that petrol cars answer, and their scaling.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>

#include "core/link/Obd.h"
#include "core/link/Uds.h"

namespace brusk::link {
namespace {

ObdPid one(uint8_t id, const char* name, const char* unit, size_t bytes, double factor, double offset = 0) {
    return {id, bytes, {{name, unit, 0, bytes, factor, offset, false}}, name};
}

constexpr double kPercent = 100.0 / 255;
constexpr double kTrim = 100.0 / 128;
constexpr double kLambda = 2.0 / 65536;

ObdPid bits(uint8_t id, const char* name, size_t bytes) {
    return {id, bytes, {}, name};
}

/// A narrowband sensor: voltage, and the short trim of its bank.
ObdPid narrowband(uint8_t id, const std::string& place) {
    const std::string name = "Oxygen sensor " + place;
    return {id,
            2,
            {{name, "V", 0, 1, 0.005, 0, false}, {"Short trim, sensor " + place, "%", 1, 1, kTrim, -100, false}},
            name};
}

/// A wide-range sensor: lambda, and its voltage (0x24 on) or current (0x34 on).
ObdPid wideband(uint8_t id, const std::string& place, bool current) {
    const std::string name = "Lambda " + place;
    ObdQuantity second = current ? ObdQuantity{"Lambda current " + place, "mA", 2, 2, 1.0 / 256, -128, false}
                                 : ObdQuantity{"Lambda voltage " + place, "V", 2, 2, 8.0 / 65536, 0, false};
    return {id, 4, {{name, "lambda", 0, 2, kLambda, 0, false}, second}, name};
}

std::vector<ObdPid> table() {
    std::vector<ObdPid> out{
        bits(0x01, "Monitor status", 4),
        bits(0x02, "Code of the freeze frame", 2),
        bits(0x03, "Fuel system status", 2),
        one(0x04, "Calculated load", "%", 1, kPercent),
        one(0x05, "Coolant", "\u00b0C", 1, 1, -40),
        one(0x06, "Short trim, bank 1", "%", 1, kTrim, -100),
        one(0x07, "Long trim, bank 1", "%", 1, kTrim, -100),
        one(0x08, "Short trim, bank 2", "%", 1, kTrim, -100),
        one(0x09, "Long trim, bank 2", "%", 1, kTrim, -100),
        one(0x0A, "Fuel pressure", "kPa", 1, 3),
        one(0x0B, "Manifold pressure", "kPa", 1, 1),
        one(0x0C, "Engine speed", "rpm", 2, 0.25),
        one(0x0D, "Road speed", "km/h", 1, 1),
        one(0x0E, "Ignition advance", "\u00b0", 1, 0.5, -64),
        one(0x0F, "Intake air", "\u00b0C", 1, 1, -40),
        one(0x10, "Airflow", "g/s", 2, 0.01),
        one(0x11, "Throttle", "%", 1, kPercent),
        bits(0x12, "Secondary air", 1),
        bits(0x13, "Oxygen sensors present", 1),
        bits(0x1C, "OBD standard", 1),
        bits(0x1D, "Oxygen sensors present", 1),
        bits(0x1E, "Auxiliary input", 1),
        one(0x1F, "Time since start", "s", 2, 1),
        one(0x21, "Distance with lamp on", "km", 2, 1),
        one(0x22, "Fuel rail pressure, relative", "kPa", 2, 0.079),
        one(0x23, "Fuel rail pressure", "kPa", 2, 10),
        one(0x2C, "Exhaust gas recirculation", "%", 1, kPercent),
        one(0x2D, "Exhaust gas recirculation error", "%", 1, kTrim, -100),
        one(0x2E, "Purge", "%", 1, kPercent),
        one(0x2F, "Fuel level", "%", 1, kPercent),
        one(0x30, "Warm-ups since clearing", "", 1, 1),
        one(0x31, "Distance since clearing", "km", 2, 1),
        one(0x33, "Barometric pressure", "kPa", 1, 1),
        one(0x3C, "Catalyst 1, bank 1", "\u00b0C", 2, 0.1, -40),
        one(0x3D, "Catalyst 1, bank 2", "\u00b0C", 2, 0.1, -40),
        one(0x3E, "Catalyst 2, bank 1", "\u00b0C", 2, 0.1, -40),
        one(0x3F, "Catalyst 2, bank 2", "\u00b0C", 2, 0.1, -40),
        bits(0x41, "Monitor status, this cycle", 4),
        one(0x42, "Controller voltage", "V", 2, 0.001),
        one(0x43, "Absolute load", "%", 2, kPercent),
        one(0x44, "Commanded lambda", "lambda", 2, kLambda),
        one(0x45, "Throttle, relative", "%", 1, kPercent),
        one(0x46, "Outside air", "\u00b0C", 1, 1, -40),
        one(0x47, "Throttle B", "%", 1, kPercent),
        one(0x48, "Throttle C", "%", 1, kPercent),
        one(0x49, "Pedal D", "%", 1, kPercent),
        one(0x4A, "Pedal E", "%", 1, kPercent),
        one(0x4B, "Pedal F", "%", 1, kPercent),
        one(0x4C, "Commanded throttle", "%", 1, kPercent),
        one(0x4D, "Time with lamp on", "min", 2, 1),
        one(0x4E, "Time since clearing", "min", 2, 1),
        bits(0x51, "Fuel type", 1),
        one(0x52, "Ethanol", "%", 1, kPercent),
        one(0x59, "Fuel rail pressure, absolute", "kPa", 2, 10),
        one(0x5A, "Pedal, relative", "%", 1, kPercent),
        one(0x5C, "Oil", "\u00b0C", 1, 1, -40),
        one(0x5E, "Fuel rate", "l/h", 2, 0.05),
    };
    // 0x14 to 0x1B: two banks of four sensors where 0x13 tells of them.
    for (int i = 0; i < 8; ++i)
        out.push_back(narrowband(static_cast<uint8_t>(0x14 + i),
                                 "bank " + std::to_string(i / 4 + 1) + " sensor " + std::to_string(i % 4 + 1)));
    for (int i = 0; i < 8; ++i) {
        out.push_back(wideband(static_cast<uint8_t>(0x24 + i), "sensor " + std::to_string(i + 1), false));
        out.push_back(wideband(static_cast<uint8_t>(0x34 + i), "sensor " + std::to_string(i + 1), true));
    }
    std::sort(out.begin(), out.end(), [](const ObdPid& a, const ObdPid& b) { return a.id < b.id; });
    return out;
}

std::string fuelSystem(uint8_t state) {
    switch (state) {
        case 0x01:
            return "open loop, cold";
        case 0x02:
            return "closed loop";
        case 0x04:
            return "open loop, load or cut";
        case 0x08:
            return "open loop, fault";
        case 0x10:
            return "closed loop, fault";
        default:
            return state ? "unknown" : "off";
    }
}

std::string bitsText(uint8_t pid, ByteSpan data) {
    if (pid == 0x03) return fuelSystem(data[0]);
    if (pid == 0x02) return troubleCodeName(static_cast<uint16_t>(data[0] << 8 | data[1]));
    if (pid == 0x01) return (data[0] & 0x80 ? "lamp on, " : "lamp off, ") + std::to_string(data[0] & 0x7F) + " codes";
    std::string out = "0x";
    static constexpr char kDigits[] = "0123456789ABCDEF";
    for (const uint8_t byte : data)
        out += kDigits[byte >> 4], out += kDigits[byte & 15];
    return out;
}

}  // namespace

const ObdPid* obdPid(uint8_t id) {
    static const std::vector<ObdPid> all = table();
    const auto found =
        std::lower_bound(all.begin(), all.end(), id, [](const ObdPid& p, uint8_t i) { return p.id < i; });
    return found != all.end() && found->id == id ? &*found : nullptr;
}

std::vector<ObdValue> obdValues(ByteSpan data, bool frozen) {
    std::vector<ObdValue> out;
    // In a freeze frame the frame's number follows each id.
    const size_t head = frozen ? 2 : 1;
    for (size_t at = 0; at + head <= data.size();) {
        const ObdPid* pid = obdPid(data[at]);
        if (!pid || pid->bytes > data.size() - at - head) return out;
        const ByteSpan bytes = data.subspan(at + head, pid->bytes);
        if (pid->quantities.empty()) out.push_back({pid->id, pid->name, "", 0, bitsText(pid->id, bytes)});
        for (const ObdQuantity& q : pid->quantities) {
            const auto raw = static_cast<double>(loadUnsigned(&bytes[q.at], q.bytes, ByteOrder::BigEndian));
            out.push_back({pid->id, q.name, q.unit, raw * q.factor + q.offset, {}});
        }
        at += head + pid->bytes;
    }
    return out;
}

Result<std::vector<std::string>> obdCodes(ByteSpan data) {
    std::vector<std::string> out;
    if (data.empty()) return out;
    const size_t count = data[0];
    if (data.size() < 1 + 2 * count)
        return fail(ErrorCode::BadInput, "The list of codes is cut off: " + std::to_string(count) + " are announced, " +
                                             std::to_string((data.size() - 1) / 2) + " came.");
    for (size_t i = 0; i < count; ++i)
        out.push_back(troubleCodeName(static_cast<uint16_t>(data[1 + 2 * i] << 8 | data[2 + 2 * i])));
    return out;
}

}  // namespace brusk::link
