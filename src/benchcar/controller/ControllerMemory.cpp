// Flash, RAM and what is learned, by address as the definition has them.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "benchcar/controller/ControllerMemory.h"

#include <zlib.h>

#include <limits>

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

int ControllerMemory::count(const Points& points, uint32_t ownCount) const {
    switch (points.source) {
        case Points::Source::Own:
            return std::clamp(number(ownCount, Store::U16), 1, points.most);
        case Points::Source::Shared:
            return std::clamp(number(points.sharedAt, Store::U16), 1, points.most);
        default:
            return points.most;
    }
}

ControllerMemory::Position ControllerMemory::locate(const Points& points, uint32_t ownPoints, int count, int x) const {
    if (points.source == Points::Source::Fixed) {
        const int index = std::clamp((x - points.first) / points.step, 0, count - 1);
        return {index, 0, count};
    }
    const uint32_t from = points.source == Points::Source::Shared ? points.sharedAt + 2 : ownPoints;
    const uint32_t width = bytesOf(points.store);
    const auto point = [&](int i) { return number(from + static_cast<uint32_t>(i) * width, points.store); };
    if (count < 2 || x <= point(0)) return {0, 0, count};
    if (x >= point(count - 1)) return {count - 2, 32768, count};
    int i = 0;
    while (i < count - 2 && x >= point(i + 1))
        ++i;
    const int span = point(i + 1) - point(i);
    return {i, span > 0 ? static_cast<int>((int64_t{x - point(i)} << 15) / span) : 0, count};
}

int ControllerMemory::look(const Item& item, int x) const {
    uint32_t at = item.at;
    const int n = count(item.x, at);
    const bool own = item.x.source == Points::Source::Own;
    if (own) at += 2;
    const Position p = locate(item.x, at, n, x);
    if (own) at += static_cast<uint32_t>(n) * bytesOf(item.x.store);
    const uint32_t width = bytesOf(item.store);
    const int low = number(at + static_cast<uint32_t>(p.index) * width, item.store);
    if (n < 2 || p.fraction == 0) return low;
    const int high = number(at + static_cast<uint32_t>(p.index + 1) * width, item.store);
    return low + static_cast<int>((int64_t{high - low} * p.fraction + 16384) >> 15);
}

int ControllerMemory::look(const Item& item, int x, int y) const {
    uint32_t at = item.at;
    const int columns = count(item.x, at);
    if (item.x.source == Points::Source::Own) at += 2;
    const int rows = count(item.y, at);
    if (item.y.source == Points::Source::Own) at += 2;
    const Position px = locate(item.x, at, columns, x);
    if (item.x.source == Points::Source::Own) at += static_cast<uint32_t>(columns) * bytesOf(item.x.store);
    const Position py = locate(item.y, at, rows, y);
    if (item.y.source == Points::Source::Own) at += static_cast<uint32_t>(rows) * bytesOf(item.y.store);
    const uint32_t width = bytesOf(item.store);
    const auto cell = [&](int row, int column) -> int64_t {
        row = std::min(row, rows - 1);
        column = std::min(column, columns - 1);
        return number(at + static_cast<uint32_t>(row * columns + column) * width, item.store);
    };
    const auto along = [&](int row) {
        const int64_t left = cell(row, px.index);
        return (left << 15) + (cell(row, px.index + 1) - left) * px.fraction;
    };
    const int64_t low = along(py.index);
    const int64_t out = (low << 15) + (along(py.index + 1) - low) * py.fraction;
    return static_cast<int>((out + (int64_t{1} << 29)) >> 30);
}

void ControllerMemory::put(const Item& item, int64_t raw) {
    uint8_t* at = ram_.data() + (item.at - map::kRam);
    const auto clip = [raw](int64_t least, int64_t most) { return std::clamp(raw, least, most); };
    switch (item.store) {
        case Store::U8:
            at[0] = static_cast<uint8_t>(clip(0, 255));
            return;
        case Store::S8:
            at[0] = static_cast<uint8_t>(clip(-128, 127));
            return;
        case Store::U16:
        case Store::S16: {
            const int64_t v = item.store == Store::U16 ? clip(0, 65535) : clip(-32768, 32767);
            at[0] = static_cast<uint8_t>(v >> 8);
            at[1] = static_cast<uint8_t>(v);
            return;
        }
        case Store::U32: {
            const int64_t v = clip(0, std::numeric_limits<uint32_t>::max());
            for (int i = 0; i < 4; ++i)
                at[i] = static_cast<uint8_t>(v >> (24 - 8 * i));
        }
    }
}

uint32_t memoryCrc(std::span<const uint8_t> bytes) {
    return static_cast<uint32_t>(::crc32_z(0, bytes.data(), bytes.size()));
}

namespace {

/// Application as one stretch, each calibration sector as its own; the last four bytes of a stretch hold its CRC-32.
template <class F>
bool everyStretch(F check) {
    if (!check(map::kApplication, map::kApplicationSize)) return false;
    for (uint32_t at = 0; at < map::kCalibrationSize; at += map::kCalibrationSector)
        if (!check(map::kCalibration + at, map::kCalibrationSector)) return false;
    return true;
}

}  // namespace

bool flashIsValid(const ControllerMemory& memory) {
    return everyStretch([&](uint32_t start, uint32_t length) {
        const auto bytes = memory.at(start, length);
        uint32_t stored = 0;
        for (const uint8_t byte : bytes.last(4))
            stored = stored << 8 | byte;
        return stored == memoryCrc(bytes.first(length - 4));
    });
}

void sealFlash(ControllerMemory& memory) {
    everyStretch([&](uint32_t start, uint32_t length) {
        const auto bytes = memory.flash().subspan(start - map::kFlash, length);
        const uint32_t sum = memoryCrc(bytes.first(length - 4));
        for (uint32_t i = 0; i < 4; ++i)
            bytes[length - 4 + i] = static_cast<uint8_t>(sum >> (24 - 8 * i));
        return true;
    });
}

}  // namespace brusk::benchcar
