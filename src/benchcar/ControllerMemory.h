// The controller's flash and RAM, and the fixed-point look-ups its firmware does on them.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <array>
#include <cstdint>
#include <span>
#include <vector>

#include "benchcar/MemoryMap.h"

namespace brusk::benchcar {

/// 1 MiB of flash and 64 KiB of RAM, big-endian. Flash reads 0xFF where it is erased; programming can only clear bits.
class ControllerMemory {
  public:
    ControllerMemory() : flash_(map::kFlashSize, 0xFF), ram_(map::kRamSize, 0) {}

    std::span<uint8_t> flash() { return flash_; }
    std::span<const uint8_t> flash() const { return flash_; }
    std::span<uint8_t> ram() { return ram_; }

    /// The bytes at an address of flash or RAM; empty when they are not all there.
    std::span<const uint8_t> at(uint32_t address, uint32_t count) const;
    void eraseSector(uint32_t start, uint32_t length);
    void program(uint32_t start, std::span<const uint8_t> bytes);
    void clearRam() { std::fill(ram_.begin(), ram_.end(), uint8_t{0}); }

    // Calibration reads.
    int u8(uint32_t address) const { return flash_[address - map::kFlash]; }
    int u16(uint32_t address) const { return flash_[address - map::kFlash] << 8 | flash_[address - map::kFlash + 1]; }
    int s16(uint32_t address) const { return static_cast<int16_t>(u16(address)); }

    // Measurements.
    void put8(uint32_t address, int value) { ram_[address - map::kRam] = static_cast<uint8_t>(value); }
    void put16(uint32_t address, int value) {
        ram_[address - map::kRam] = static_cast<uint8_t>(value >> 8);
        ram_[address - map::kRam + 1] = static_cast<uint8_t>(value);
    }
    void put32(uint32_t address, uint32_t value) {
        put16(address, static_cast<int>(value >> 16));
        put16(address + 2, static_cast<int>(value & 0xFFFF));
    }

    /// Where a number lies on an axis: the cell's lower breakpoint and a fraction of 1/32768.
    struct Position {
        int index = 0;
        int fraction = 0;
    };
    Position locate(uint32_t breakpoints, int count, int bytes, int x) const;

    /// A curve with its own axis of `axisBytes` and values of `valueBytes`, at most `most` breakpoints.
    int curve(uint32_t address, int most, int axisBytes, int valueBytes, int x) const;
    /// Values (row by row, `columns` wide) interpolated between four cells.
    int between(uint32_t values, int columns, int valueBytes, bool isSigned, Position x, Position y, int rows) const;
    /// A shared axis: a 16-bit count, then 16-bit breakpoints.
    int axisCount(uint32_t axis, int most) const;

  private:
    int number(uint32_t address, int bytes, bool isSigned = false) const {
        return bytes == 1 ? (isSigned ? static_cast<int8_t>(u8(address)) : u8(address))
                          : (isSigned ? s16(address) : u16(address));
    }

    std::vector<uint8_t> flash_;
    std::vector<uint8_t> ram_;
};

/// The flash as it left the factory: stock calibration of the Fennmark Heron 1.6 T with the Aldine E2.
void programStockFlash(ControllerMemory& memory);
/// Whether all checksums of application and calibration agree; a controller that finds one wrong stays in boot mode.
bool flashIsValid(const ControllerMemory& memory);
/// CRC-32 of a stretch of memory, as the firmware computes it.
uint32_t memoryCrc(std::span<const uint8_t> bytes);

}  // namespace brusk::benchcar
