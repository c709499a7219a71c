// The stock calibration: right for the engine as built, so wrong for the one with the owner's parts.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <cmath>
#include <string_view>

#include "benchcar/ControllerMemory.h"
#include "benchcar/EngineTruth.h"

namespace brusk::benchcar {
namespace {

constexpr int kSpeeds[] = {600,  800,  1000, 1250, 1500, 1800, 2200, 2600,
                           3000, 3500, 4000, 4500, 5000, 5600, 6200, 6800};
constexpr int kPressures[] = {15, 22, 30, 38, 48, 58, 70, 85, 100, 115, 130, 150, 175, 205};
constexpr int kLoads[] = {60, 110, 160, 210, 260, 320, 380, 440, 520, 620, 740, 900};

class Writer {
  public:
    explicit Writer(ControllerMemory& memory) : flash_(memory.flash()) {}

    void u8(uint32_t address, double value) {
        flash_[address - map::kFlash] = static_cast<uint8_t>(std::lround(value));
    }
    void u16(uint32_t address, double value) {
        const auto raw = static_cast<int>(std::lround(value));
        flash_[address - map::kFlash] = static_cast<uint8_t>(raw >> 8);
        flash_[address - map::kFlash + 1] = static_cast<uint8_t>(raw);
    }
    void text(uint32_t address, size_t size, std::string_view value) {
        for (size_t i = 0; i < size; ++i)
            flash_[address - map::kFlash + i] = static_cast<uint8_t>(i < value.size() ? value[i] : ' ');
    }
    void number(uint32_t address, int bytes, double value) { bytes == 1 ? u8(address, value) : u16(address, value); }

    /// Count, breakpoints, values.
    void curve(uint32_t address, int axisBytes, int valueBytes,
               std::initializer_list<std::pair<double, double>> points) {
        u16(address, static_cast<double>(points.size()));
        uint32_t at = address + 2;
        for (const auto& [x, y] : points)
            number(at, axisBytes, x), at += static_cast<uint32_t>(axisBytes);
        for (const auto& [x, y] : points)
            number(at, valueBytes, y), at += static_cast<uint32_t>(valueBytes);
    }

    template <size_t N>
    void axis(uint32_t address, const int (&points)[N], double scale) {
        u16(address, N);
        for (uint32_t i = 0; i < N; ++i)
            u16(address + 2 + 2 * i, points[i] * scale);
    }

  private:
    std::span<uint8_t> flash_;
};

void writeAir(Writer& w) {
    using namespace map::cal;
    w.text(kId, kIdSize, "HERON16T-FACTORY");
    w.u16(kDisplacement, 1598);
    w.u16(kMapSlope, kStockParts.pressure.slope_kPaV * 100);
    w.u16(kMapOffset, kStockParts.pressure.offset_kPa * 100);
    w.u8(kMapFilter, 160);
    w.curve(kChargeBlend, 2, 1, {{100, 108}, {200, 94}, {400, 78}, {800, 55}, {1500, 38}, {3000, 31}});
    w.axis(kAxisSpeed, kSpeeds, 1);
    w.axis(kAxisPressure, kPressures, 100);
    for (uint32_t row = 0; row < std::size(kPressures); ++row)
        for (uint32_t column = 0; column < std::size(kSpeeds); ++column) {
            const double ve = truth::volumetricEfficiency(kSpeeds[column], kPressures[row], false);
            w.u16(kVe + 2 * (row * 16 + column), ve * 10000);
        }
}

void writeFuel(Writer& w) {
    using namespace map::cal;
    w.u16(kStoich, 14700);
    w.u16(kInjectorFlow, kStockParts.injectors.flow_cm3min * 10);
    w.u16(kFuelDensity, 7450);
    w.u16(kMinPulse, 400);
    const auto dead = [](double volts) {
        return kStockParts.injectors.deadAt14_us + (14 - volts) * kStockParts.injectors.deadSlope_us;
    };
    w.curve(kDeadTime, 1, 2,
            {{80, dead(8)},
             {90, dead(9)},
             {100, dead(10)},
             {110, dead(11)},
             {120, dead(12)},
             {130, dead(13)},
             {140, dead(14)},
             {150, dead(15)}});
    w.curve(kWarmUp, 1, 1, {{10, 90}, {20, 76}, {40, 52}, {60, 34}, {80, 18}, {100, 6}, {110, 2}, {120, 0}});
    w.u8(kAfterStart, 30);
    w.u16(kAfterStartDecay, 120);
    w.u16(kCutBegins, 1700);
    w.u16(kCutEnds, 1350);
    for (uint32_t row = 0; row < std::size(kPressures); ++row)
        for (uint32_t column = 0; column < std::size(kSpeeds); ++column) {
            // Stoichiometric up to moderate load, then richer with boost and speed to spare pistons and turbine.
            const double over =
                std::max(0.0, kPressures[row] - 105.0) * 0.0019 + std::max(0, kSpeeds[column] - 4200) * 0.00002;
            w.u8(kLambda + row * 16 + column, std::max(0.78, 1 - over) * 128);
        }
    w.u8(kLoopOn, 1);
    w.u8(kLoopCoolant, 60 + 40);
    w.u16(kLoopWait, 100);
    w.u16(kLoopJump, 80);
    w.u16(kLoopRamp, 250);
    w.u8(kLoopLimit, 20);
    w.u8(kLearnLimit, 12);
    w.u16(kLearnRate, 40);
}

void writeSparkAndBoost(Writer& w) {
    using namespace map::cal;
    w.axis(kAxisLoad, kLoads, 50);
    for (uint32_t row = 0; row < std::size(kLoads); ++row)
        for (uint32_t column = 0; column < std::size(kSpeeds); ++column) {
            const double advance = 14 + kSpeeds[column] * 0.0042 - std::max(0, kLoads[row] - 140) * 0.033;
            w.u16(kSpark + 2 * (row * 16 + column),
                  static_cast<double>(static_cast<uint16_t>(std::lround(std::clamp(advance, -4.0, 42.0) * 10))));
        }
    w.u16(kSparkIdle, 120);
    for (uint32_t column = 0; column < std::size(kSpeeds); ++column)
        w.u8(kWastegate + column, kSpeeds[column] < 1800 ? 0 : std::min(60.0, (kSpeeds[column] - 1800) * 0.04));
    w.u16(kBoostCut, 19500);
}

void writeRest(Writer& w) {
    using namespace map::cal;
    w.curve(kIdleSpeed, 1, 2, {{20, 1250}, {40, 1180}, {60, 1080}, {80, 980}, {100, 880}, {125, 850}});
    w.curve(kIdleAir, 1, 2, {{20, 760}, {40, 700}, {60, 630}, {80, 560}, {100, 505}, {125, 495}});
    w.u16(kIdleP, 40);
    w.u16(kIdleI, 35);
    constexpr int pedals[] = {0, 500, 1500, 3000, 5000, 7000, 8500, 10000};
    constexpr int speeds[] = {800, 1500, 2500, 3500, 5000, 6500};
    constexpr double opening[] = {0, 0.03, 0.09, 0.20, 0.38, 0.62, 0.85, 1};
    w.u16(kPedal, 8);
    w.u16(kPedal + 2, 6);
    for (uint32_t i = 0; i < 8; ++i)
        w.u16(kPedal + 4 + 2 * i, pedals[i]);
    for (uint32_t i = 0; i < 6; ++i)
        w.u16(kPedal + 20 + 2 * i, speeds[i]);
    for (uint32_t row = 0; row < 6; ++row)
        for (uint32_t column = 0; column < 8; ++column)
            w.u16(kPedal + 32 + 2 * (row * 8 + column),
                  10000 * std::min(1.0, opening[column] * (0.75 + 0.25 * speeds[row] / 5000.0)));
    w.u16(kRevLimit, 6700);
    w.u16(kRevReturn, 150);
    w.u8(kFanOn, 97 + 40);
    w.u8(kFanOff, 91 + 40);
    w.u16(kWheelPulses, 4210);
    w.u8(kDiagSwitches, 0x0F);
    w.u16(kDiagMapLow, 200);
    w.u16(kDiagMapHigh, 4850);
    w.u8(kDiagTrim, 24);
}

/// Machine code stands in the application; what matters to us is that it is there, varied, and checked.
void writeApplication(std::span<uint8_t> flash) {
    uint64_t state = 0x9E3779B97F4A7C15ull;
    for (uint32_t at = 0; at < map::kApplicationSize; ++at) {
        state ^= state << 13, state ^= state >> 7, state ^= state << 17;
        flash[map::kApplication - map::kFlash + at] = static_cast<uint8_t>(state >> 24);
    }
    for (uint32_t at = 0; at < 0x8000; ++at)
        flash[at] = static_cast<uint8_t>((at * 73) ^ (at >> 5));
}

void writeCrc(std::span<uint8_t> flash, uint32_t start, uint32_t length) {
    const auto bytes = flash.subspan(start - map::kFlash, length);
    const uint32_t sum = memoryCrc(bytes.first(length - 4));
    for (uint32_t i = 0; i < 4; ++i)
        bytes[length - 4 + i] = static_cast<uint8_t>(sum >> (24 - 8 * i));
}

}  // namespace

void programStockFlash(ControllerMemory& memory) {
    std::span<uint8_t> flash = memory.flash();
    std::fill(flash.begin(), flash.end(), uint8_t{0xFF});
    writeApplication(flash);
    Writer w(memory);
    w.text(map::kVin, map::kVinSize, "FMKHR16T0E2004711");
    w.text(map::kSerial, map::kSerialSize, "E2-0098-4417");
    w.text(map::kHardware, map::kHardwareSize, "ALD-E2-HW03");
    w.text(map::kSoftwareId, map::kSoftwareIdSize, "AE2-5127-C04");
    writeAir(w);
    writeFuel(w);
    writeSparkAndBoost(w);
    writeRest(w);
    writeCrc(flash, map::kApplication, map::kApplicationSize);
    for (uint32_t at = 0; at < map::kCalibrationSize; at += map::kCalibrationSector)
        writeCrc(flash, map::kCalibration + at, map::kCalibrationSector);
}

}  // namespace brusk::benchcar
