// Scales or shifts one part of a calibration by an amount that the seed draws.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "benchcar/cars/WrongPart.h"

#include <algorithm>
#include <cmath>

#include "benchcar/plant/Noise.h"

namespace brusk::benchcar {

namespace {

/// Where the numbers of a parameter lie and how many they are.
struct Cells {
    uint32_t at = 0;
    uint32_t count = 1;
};

Cells cellsOf(const ControllerMemory& memory, const Item& item) {
    Cells out{item.at, 1};
    if (item.kind == Item::Kind::Block || item.kind == Item::Kind::Text) out.count = static_cast<uint32_t>(item.number);
    if (item.kind == Item::Kind::Axis) {
        out.count = static_cast<uint32_t>(memory.count(item.x, item.at));
        out.at += 2;
        return out;
    }
    // Counts of the own axes, then their breakpoints, then the numbers.
    uint32_t countAt = item.at, points = 0;
    for (const Points* axis : {&item.x, &item.y}) {
        if (axis->source == Points::Source::None) continue;
        const auto n = static_cast<uint32_t>(memory.count(*axis, countAt));
        out.count *= n;
        if (axis->source != Points::Source::Own) continue;
        countAt += 2;
        points += n * bytesOf(axis->store);
    }
    out.at = countAt + points;
    return out;
}

}  // namespace

void rework(ControllerMemory& memory, const Item& item, const std::function<double(double physical)>& change) {
    auto flash = memory.flash();
    const uint32_t width = bytesOf(item.store);
    const Cells cells = cellsOf(memory, item);
    const double least = item.store == Store::S8 ? -128 : item.store == Store::S16 ? -32768 : 0;
    const double most = item.store == Store::U8    ? 255
                        : item.store == Store::S8  ? 127
                        : item.store == Store::S16 ? 32767
                                                   : 65535;
    for (uint32_t i = 0, at = cells.at; i < cells.count; ++i, at += width) {
        uint8_t* bytes = flash.data() + (at - map::kFlash);
        if (item.mask) {
            const bool on = change(*bytes & item.mask ? 1 : 0) != 0;
            *bytes = static_cast<uint8_t>(on ? *bytes | item.mask : *bytes & ~item.mask);
            continue;
        }
        int raw = 0;
        for (uint32_t k = 0; k < width; ++k)
            raw = raw << 8 | bytes[k];
        if (item.store == Store::S8 && raw > 0x7F) raw -= 0x100;
        if (item.store == Store::S16 && raw > 0x7FFF) raw -= 0x10000;
        const double wanted = (change(raw * item.perCount + item.offset) - item.offset) / item.perCount;
        const auto out = static_cast<uint32_t>(std::lround(std::clamp(wanted, least, most)));
        for (uint32_t k = 0; k < width; ++k)
            bytes[k] = static_cast<uint8_t>(out >> (8 * (width - 1 - k)));
    }
}

const std::vector<WrongPart>& wrongParts() {
    static const std::vector<WrongPart> all = {
        {"injector", "Dead times of the injectors", "us", 60, 150, true, {"dead_time"}},
        {"injector-flow", "Flow of the injectors", "%", 4, 10, true, {"injector_flow"}},
        {"meter", "Airflow-meter curve", "%", 4, 12, true, {"maf_curve"}},
        {"air", "Volumetric efficiency", "%", 4, 12, true, {"ve_map"}},
        {"charge-temperature", "Charge temperature blend", "%", 30, 60, true, {"charge_blend"}},
        {"altitude", "Filling against altitude", "%", 4, 10, true, {"ve_baro"}},
        {"changeover", "Meter where it takes over", "%", 4, 10, true, {"maf_curve"}},
        {"bank-trim", "Fuel of the banks", "%", 2, 6, true, {"bank_trim"}},
        {"full-load", "Full-load enrichment comes late", "s", 1, 3, false, {"full_load_delay"}},
        {"air-lead", "Pressure filter too slow", "%", 60, 90, false, {"map_filter"}},
        {"transient", "Wall film", "%", 30, 70, true, {"film_share"}},
        {"cut-return", "Fuel after a cut", "%", 60, 95, true, {"cut_return"}},
        {"lambda-loop", "Jump and ramp of the loop", "%", 100, 200, false, {"loop_jump", "loop_ramp"}},
        {"warm-up", "Warm-up enrichment", "%", 30, 60, true, {"warm_up"}},
        {"cranking", "Cranking fuel", "%", 20, 45, true, {"crank_fuel"}},
        {"expected-pressure", "Pressure expected", "%", 10, 30, true, {"expected_pressure"}},
        {"throttle-model", "Throttle for air", "%", 10, 25, true, {"throttle_for_air"}},
        {"torque-pair", "Torque for air", "%", 8, 20, true, {"torque_for_air"}},
        {"plausibility", "Plausibility limit too wide", "%", 30, 80, false, {"plaus_pressure"}},
        {"boost", "Base wastegate duty", "%", 10, 30, true, {"wastegate"}},
        {"boost-target", "Boost target too high", "kPa", 10, 30, false, {"boost_target"}},
        {"spark", "Base spark", "°", 3, 8, true, {"spark_map"}},
        {"knock-threshold", "Knock threshold too high", "%", 20, 80, false, {"knock_threshold"}},
        {"idle", "Idle base air", "%", 8, 25, true, {"idle_air"}},
        {"idle-loads", "Air for the compressor", "%", 40, 90, true, {"idle_air_ac"}},
        {"pedal", "Torque asked for by the pedal", "%", 10, 30, true, {"pedal_map"}},
        {"pedal-ceiling",
         "Torque ceiling too low: the throttle closes under full pedal",
         "%",
         20,
         45,
         false,
         {"torque_ceiling"}},
        {"speed", "Wheel pulses", "%", 2, 8, true, {"wheel_pulses"}},
        {"cooling", "Fans too late", "K", 6, 14, false, {"fan_on", "fan_off"}}};
    return all;
}

const WrongPart* wrongPartNamed(std::string_view id) {
    const auto& all = wrongParts();
    const auto at = std::find_if(all.begin(), all.end(), [&](const WrongPart& part) { return part.id == id; });
    return at == all.end() ? nullptr : &*at;
}

double drawnAmount(const WrongPart& part, uint64_t seed) {
    // Each part draws from a stream of its own.
    uint64_t stream = seed;
    for (const char c : part.id)
        stream = stream * 131 + static_cast<unsigned char>(c);
    Noise noise(stream);
    const auto uniform = [&] { return static_cast<double>(noise.next() >> 11) * 0x1p-53; };
    const double size = part.least + (part.most - part.least) * uniform();
    return part.eitherWay && uniform() < 0.5 ? -size : size;
}

void makeWrong(ControllerMemory& memory, const WrongPart& part, double amount) {
    for (const std::string_view name : part.parameters) {
        const Item& item = *parameterNamed(name);
        // A filter is a share of what is new each step: slower is less, and a ceiling too low too. Trims around nil
        // have no share to scale.
        if (part.id == "air-lead" || part.id == "pedal-ceiling")
            rework(memory, item, [&](double v) { return v * (1 - amount / 100); });
        else if (part.id == "bank-trim") {
            int bank = 0;
            rework(memory, item, [&](double v) { return v + (bank++ == 0 ? amount : -amount) / 2; });
        } else if (part.id == "altitude") {
            // Right at sea level, ever more wrong as the air gets thinner.
            int point = 0;
            const int points = memory.count(item.x, item.at);
            rework(memory, item, [&](double v) {
                const double thin = std::max(0.0, 1 - point++ / (points - 2.0));
                return v * (1 + amount / 100 * thin);
            });
        } else {
            rework(memory, item, [&](double v) { return part.unit == "%" ? v * (1 + amount / 100) : v + amount; });
        }
    }
    if (part.id == "changeover") rework(memory, *parameterNamed("air_model"), [](double) { return 2; });
    sealFlash(memory);
}

}  // namespace brusk::benchcar
