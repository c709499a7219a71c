// SPDX-License-Identifier: GPL-3.0-or-later
#include "benchcar/ControllerMemory.h"

#include <zlib.h>

#include <algorithm>

namespace brusk::benchcar {

std::span<const uint8_t> ControllerMemory::at(uint32_t address, uint32_t count) const {
    const auto within = [&](uint32_t start, const std::vector<uint8_t>& bytes) {
        return address >= start && address - start <= bytes.size() && count <= bytes.size() - (address - start);
    };
    if (within(map::kFlash, flash_)) return std::span(flash_).subspan(address - map::kFlash, count);
    if (within(map::kRam, ram_)) return std::span(ram_).subspan(address - map::kRam, count);
    return {};
}

void ControllerMemory::eraseSector(uint32_t start, uint32_t length) {
    std::fill_n(flash_.begin() + (start - map::kFlash), length, uint8_t{0xFF});
}

void ControllerMemory::program(uint32_t start, std::span<const uint8_t> bytes) {
    for (size_t i = 0; i < bytes.size(); ++i)
        flash_[start - map::kFlash + i] &= bytes[i];
}

ControllerMemory::Position ControllerMemory::locate(uint32_t breakpoints, int count, int bytes, int x) const {
    const auto point = [&](int i) { return number(breakpoints + static_cast<uint32_t>(i * bytes), bytes); };
    if (count < 2 || x <= point(0)) return {0, 0};
    if (x >= point(count - 1)) return {count - 2, 32768};
    int i = 0;
    while (i < count - 2 && x >= point(i + 1))
        ++i;
    const int width = point(i + 1) - point(i);
    return {i, width > 0 ? static_cast<int>((int64_t{x - point(i)} << 15) / width) : 0};
}

int ControllerMemory::axisCount(uint32_t axis, int most) const {
    return std::clamp(u16(axis), 1, most);
}

int ControllerMemory::curve(uint32_t address, int most, int axisBytes, int valueBytes, int x) const {
    const int count = axisCount(address, most);
    const uint32_t values = address + 2 + static_cast<uint32_t>(count * axisBytes);
    const Position at = locate(address + 2, count, axisBytes, x);
    const int low = number(values + static_cast<uint32_t>(at.index * valueBytes), valueBytes);
    if (count < 2) return low;
    const int high = number(values + static_cast<uint32_t>((at.index + 1) * valueBytes), valueBytes);
    return low + static_cast<int>((int64_t{high - low} * at.fraction) >> 15);
}

int ControllerMemory::between(uint32_t values, int columns, int valueBytes, bool isSigned, Position x, Position y,
                              int rows) const {
    const auto cell = [&](int row, int column) -> int64_t {
        row = std::min(row, rows - 1);
        column = std::min(column, columns - 1);
        return number(values + static_cast<uint32_t>((row * columns + column) * valueBytes), valueBytes, isSigned);
    };
    const int64_t low =
        (cell(y.index, x.index) << 15) + (cell(y.index, x.index + 1) - cell(y.index, x.index)) * x.fraction;
    const int64_t high =
        (cell(y.index + 1, x.index) << 15) + (cell(y.index + 1, x.index + 1) - cell(y.index + 1, x.index)) * x.fraction;
    const int64_t out = (low << 15) + (high - low) * y.fraction;
    return static_cast<int>((out + (int64_t{1} << 29)) >> 30);
}

uint32_t memoryCrc(std::span<const uint8_t> bytes) {
    return static_cast<uint32_t>(::crc32_z(0, bytes.data(), bytes.size()));
}

namespace {

/// The last four bytes of a stretch hold the CRC-32 of those before.
bool stretchIsValid(const ControllerMemory& memory, uint32_t start, uint32_t length) {
    const auto bytes = memory.at(start, length);
    const uint8_t* stored = bytes.data() + length - 4;
    const uint32_t sum = static_cast<uint32_t>(stored[0]) << 24 | static_cast<uint32_t>(stored[1]) << 16 |
                         static_cast<uint32_t>(stored[2]) << 8 | stored[3];
    return sum == memoryCrc(bytes.first(length - 4));
}

}  // namespace

bool flashIsValid(const ControllerMemory& memory) {
    if (!stretchIsValid(memory, map::kApplication, map::kApplicationSize)) return false;
    for (uint32_t at = 0; at < map::kCalibrationSize; at += map::kCalibrationSector)
        if (!stretchIsValid(memory, map::kCalibration + at, map::kCalibrationSector)) return false;
    return true;
}

}  // namespace brusk::benchcar
