// The controller's flash and RAM, and the fixed-point look-ups its firmware does on them.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <algorithm>
#include <cstdint>
#include <span>
#include <vector>

#include "benchcar/controller/Item.h"
#include "benchcar/controller/MemoryMap.h"

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

    // --- calibration, all in raw counts
    int get(const Item& item) const {
        const int raw = number(item.at, item.store);
        return item.mask ? (raw & item.mask) != 0 : raw;
    }
    bool on(const Item& item) const { return get(item) != 0; }
    int element(const Item& block, int index) const {
        return number(block.at + static_cast<uint32_t>(index) * bytesOf(block.store), block.store);
    }
    /// Interpolated between the cells, held at the ends. `x` and `y` in counts of their axes.
    int look(const Item& curve, int x) const;
    int look(const Item& map, int x, int y) const;
    /// Breakpoints in use: what the flash says, within what the layout allows.
    int count(const Points& points, uint32_t ownCount) const;

    // --- measurements, in raw counts, clipped to what the store holds
    void put(const Item& item, int64_t raw);
    int64_t seen(const Item& item) const { return load(ram_.data() + (item.at - map::kRam), item.store); }

  private:
    /// Where a number lies on an axis: the cell's lower breakpoint and a fraction of 1/32768.
    struct Position {
        int index = 0;
        int fraction = 0;
        int count = 1;
    };
    Position locate(const Points& points, uint32_t ownPoints, int count, int x) const;
    static int64_t load(const uint8_t* at, Store store) {
        switch (store) {
            case Store::U8:
                return at[0];
            case Store::S8:
                return static_cast<int8_t>(at[0]);
            case Store::U16:
                return at[0] << 8 | at[1];
            case Store::S16:
                return static_cast<int16_t>(at[0] << 8 | at[1]);
            case Store::U32:
                break;
        }
        return static_cast<int64_t>(at[0]) << 24 | at[1] << 16 | at[2] << 8 | at[3];
    }
    int number(uint32_t address, Store store) const {
        return static_cast<int>(load(flash_.data() + (address - map::kFlash), store));
    }

    std::vector<uint8_t> flash_;
    std::vector<uint8_t> ram_;
};

/// Whether all checksums of application and calibration agree; a controller that finds one wrong stays in boot mode.
bool flashIsValid(const ControllerMemory& memory);
/// Writes the checksums that belong to the bytes as they are.
void sealFlash(ControllerMemory& memory);
/// CRC-32 of a stretch of memory, as the firmware computes it.
uint32_t memoryCrc(std::span<const uint8_t> bytes);

}  // namespace brusk::benchcar
