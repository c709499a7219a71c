// The modes every car answers, from the controller's own values.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "benchcar/diagnostics/Obd.h"

#include <algorithm>

namespace brusk::benchcar {

namespace {

namespace L = layout;

uint32_t byte(int64_t value) {
    return static_cast<uint32_t>(std::clamp<int64_t>(value, 0, 255));
}
uint32_t word(int64_t value) {
    return static_cast<uint32_t>(std::clamp<int64_t>(value, 0, 65535));
}
/// Trims: 0.01 % into 100/128 % about 128.
uint32_t trim(int c) {
    return byte(128 + c * 128 / 10000);
}
uint32_t percent(int64_t c) {
    return byte(c * 255 / 10000);
}
uint32_t celsius(int d) {
    return byte(d / 10 + 40);
}

void appendBytes(Message& out, uint32_t value, int count) {
    for (int shift = (count - 1) * 8; shift >= 0; shift -= 8)
        out.push_back(static_cast<uint8_t>(value >> shift));
}

constexpr size_t kMostPids = 6;

}  // namespace

Obd::Obd(ControllerMemory& memory, Controller& controller) : memory_(memory), controller_(controller) {
    const auto seen = [this](const Item& item) { return memory_.seen(item); };
    const auto s = [this]() -> const Signals& { return controller_.now(); };
    pids_ = {{0x01, 4,
              [this](const FreezeFrame&) {
                  int count = 0;
                  for (const StoredCode& code : controller_.codes())
                      count += (code.status & status::kConfirmed) != 0;
                  return (count > 0 ? 0x80000000u : 0u) | static_cast<uint32_t>(count) << 24 | 0x00070000u;
              },
              false},
             {0x03, 2,
              [s](const FreezeFrame& f) {
                  const uint32_t one = f.closed ? 2u : s().fuelCut ? 4u : 1u;
                  return one << 8 | (s().banks > 1 ? one : 0u);
              },
              true},
             {0x04, 1, [](const FreezeFrame& f) { return percent(f.filling_c); }, true},
             {0x05, 1, [](const FreezeFrame& f) { return celsius(f.coolant_d); }, true},
             {0x06, 1, [](const FreezeFrame& f) { return trim(f.short_c); }, true},
             {0x07, 1, [](const FreezeFrame& f) { return trim(f.long_c); }, true},
             {0x08, 1, [](const FreezeFrame& f) { return trim(f.short2_c); }, true},
             {0x09, 1, [](const FreezeFrame& f) { return trim(f.long2_c); }, true},
             {0x0B, 1, [](const FreezeFrame& f) { return byte(f.pressure_c / 100); }, true},
             {0x0C, 2, [](const FreezeFrame& f) { return word(f.speed_q); }, true},
             {0x0D, 1, [](const FreezeFrame& f) { return byte(f.vehicle_c / 100); }, true},
             {0x0E, 1, [s](const FreezeFrame&) { return byte(s().spark_d / 5 + 128); }, false},
             {0x0F, 1, [](const FreezeFrame& f) { return celsius(f.intake_d); }, true},
             {0x10, 2, [s](const FreezeFrame&) { return word(int64_t{s().meter_f} * 2 * 100 / 360); }, false},
             {0x11, 1, [](const FreezeFrame& f) { return percent(f.throttle_c); }, true},
             {0x13, 1, [s](const FreezeFrame&) { return s().banks > 1 ? 0x11u : 0x01u; }, false},
             {0x14, 2, [s](const FreezeFrame& f) { return byte(s().in.narrowband_mV[0] / 5) << 8 | trim(f.short_c); },
              false},
             {0x18, 2, [s](const FreezeFrame& f) { return byte(s().in.narrowband_mV[1] / 5) << 8 | trim(f.short2_c); },
              false},
             {0x1C, 1, [](const FreezeFrame&) { return 6u; }, false},  // EOBD
             {0x1F, 2, [](const FreezeFrame& f) { return word(f.runTicks / 100); }, true},
             {0x33, 1, [s](const FreezeFrame&) { return byte(s().baro_c / 100); }, false},
             {0x42, 2, [](const FreezeFrame& f) { return word(f.battery_mV); }, true},
             {0x43, 2, [](const FreezeFrame& f) { return word(int64_t{f.filling_c} * 255 / 10000); }, true},
             {0x44, 2, [s](const FreezeFrame&) { return word(int64_t{s().lambda_4} * 32768 / 10000); }, false},
             {0x49, 1, [s](const FreezeFrame&) { return percent(s().pedal_c); }, false},
             {0x4C, 1, [s](const FreezeFrame&) { return percent(s().throttleTarget_c); }, false},
             {0x51, 1, [](const FreezeFrame&) { return 1u; }, false},  // petrol
             {0x5E, 2, [seen](const FreezeFrame&) { return word(seen(L::fuelSeen.fuelRate) / 5); }, false}};
}

FreezeFrame Obd::now() const {
    return controller_.diagnosis().frame(controller_.now());
}

Message Obd::answer(const Message& request) {
    switch (request[0]) {
        case 0x01:
            return current(request);
        case 0x02:
            return freezeFrame(request);
        case 0x03:
            return request.size() == 1 ? codes(0x03, status::kConfirmed) : Message{};
        case 0x04:
            if (request.size() != 1) return {};
            controller_.clearCodes();
            return {0x44};
        case 0x07:
            return request.size() == 1 ? codes(0x07, status::kPending) : Message{};
        default:
            return vehicle(request);
    }
}

/// The mask of the 32 ids after `from`; the last bit says that a further mask follows.
uint32_t Obd::supported(uint8_t from, bool frozen) const {
    uint32_t mask = 0;
    bool more = false;
    for (const Pid& pid : pids_) {
        if (frozen && !pid.frozen) continue;
        if (pid.id > from && pid.id <= from + 32) mask |= 1u << (from + 32 - pid.id);
        more = more || pid.id > from + 32;
    }
    if (frozen && from == 0) mask |= 1u << 30;  // id 02: the code of the frame
    return mask | (more ? 1u : 0u);
}

bool Obd::append(Message& out, uint8_t id, const FreezeFrame& values, bool frozen) const {
    if (id % 0x20 == 0) {
        const uint32_t mask = supported(id, frozen);
        if (mask == 0) return false;
        out.push_back(id);
        if (frozen) out.push_back(0);
        appendBytes(out, mask, 4);
        return true;
    }
    for (const Pid& pid : pids_) {
        if (pid.id != id || (frozen && !pid.frozen)) continue;
        out.push_back(id);
        if (frozen) out.push_back(0);
        appendBytes(out, pid.live(values), pid.bytes);
        return true;
    }
    return false;
}

Message Obd::current(const Message& r) {
    if (r.size() < 2 || r.size() > 1 + kMostPids) return {};
    Message out{0x41};
    const FreezeFrame values = now();
    for (size_t i = 1; i < r.size(); ++i)
        append(out, r[i], values, false);
    return out.size() > 1 ? out : Message{};
}

const StoredCode* Obd::firstConfirmed() const {
    for (const StoredCode& code : controller_.codes())
        if (code.status & status::kConfirmed) return &code;
    return nullptr;
}

Message Obd::freezeFrame(const Message& r) {
    if (r.size() != 3 || r[2] != 0) return {};
    const StoredCode* code = firstConfirmed();
    Message out{0x42};
    if (r[1] == 0x02) {
        out.insert(out.end(), {0x02, 0x00});
        appendBytes(out, code ? code->code >> 8 : 0, 2);
        return out;
    }
    if (!code && r[1] % 0x20 != 0) return {};
    return append(out, r[1], code ? code->frame : FreezeFrame{}, true) ? out : Message{};
}

Message Obd::codes(uint8_t mode, uint8_t mask) const {
    Message out{static_cast<uint8_t>(mode + 0x40), 0};
    for (const StoredCode& code : controller_.codes()) {
        if (!(code.status & mask)) continue;
        appendBytes(out, code.code >> 8, 2);
        ++out[1];
    }
    return out;
}

Message Obd::vehicle(const Message& r) const {
    if (r.size() != 2) return {};
    Message out{0x49, r[1]};
    const auto text = [&](std::span<const uint8_t> bytes, size_t width) {
        out.push_back(1);
        for (size_t i = 0; i < width; ++i)
            out.push_back(i < bytes.size() ? bytes[i] : uint8_t{0});
    };
    switch (r[1]) {
        case 0x00:
            // 02, 04, 06 and 0A
            appendBytes(out, 1u << 30 | 1u << 28 | 1u << 26 | 1u << 22, 4);
            return out;
        case 0x02:
            text(memory_.at(map::kVin, map::kVinSize), 17);
            return out;
        case 0x04:
            text(memory_.at(L::inputs.calibrationId.at, 16), 16);
            return out;
        case 0x06:
            out.push_back(1);
            appendBytes(out, memoryCrc(memory_.at(map::kCalibration, map::kCalibrationSize)), 4);
            return out;
        case 0x0A: {
            static constexpr uint8_t name[] = {'E', 'C', 'M', 0, '-', 'E', 'n', 'g', 'i', 'n', 'e'};
            text(name, 20);
            return out;
        }
        default:
            return {};
    }
}

}  // namespace brusk::benchcar
