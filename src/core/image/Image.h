// The bytes of a controller's memory: a few runs of bytes at addresses, with nothing assumed between them.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <map>
#include <vector>

#include "core/base/Bytes.h"
#include "core/base/Result.h"

namespace brusk::image {

/// A run of bytes that starts at an address.
struct Segment {
    uint32_t start = 0;
    Bytes bytes;
    uint64_t end() const { return uint64_t{start} + bytes.size(); }
};

/// Sparse memory of 32-bit addresses. Neighbouring runs are joined as they are added.
class Image {
  public:
    Image() = default;

    /// Adds a run. Bytes that are already there with another value are an error unless `replace`.
    [[nodiscard]] Done add(uint32_t start, ByteSpan bytes, bool replace = false);
    /// The `count` bytes at `start` without copying; an error names the first address that is missing.
    [[nodiscard]] Result<ByteSpan> bytes(uint32_t start, uint32_t count) const;
    /// Overwrites bytes that exist; the image never grows by this.
    [[nodiscard]] Done overwrite(uint32_t start, ByteSpan bytes);

    bool contains(uint32_t start, uint32_t count) const;
    bool empty() const { return runs_.empty(); }
    uint64_t size() const;
    std::vector<Segment> segments() const;
    bool operator==(const Image&) const = default;

  private:
    const Bytes* runAt(uint32_t address, uint32_t* runStart) const;

    std::map<uint32_t, Bytes> runs_;
};

/// How a checksum is made of bytes.
enum class ChecksumKind {
    Crc32,  ///< ISO 3309, as in zlib; 4 bytes
    Crc16,  ///< CCITT polynomial 0x1021, first 0xFFFF, not reflected (as in XMODEM's successors); 2 bytes
    Sum32,  ///< the bytes added up; 4 bytes
    Sum16   ///< the bytes added up; 2 bytes
};
size_t checksumSize(ChecksumKind kind);
uint32_t checksumOf(ChecksumKind kind, ByteSpan bytes);

/// A checksum over [start, start + length) kept big- or little-endian at `storedAt`.
struct ChecksumArea {
    uint32_t start = 0;
    uint32_t length = 0;
    uint32_t storedAt = 0;
    ByteOrder order = ByteOrder::BigEndian;
    ChecksumKind kind = ChecksumKind::Crc32;
};

uint32_t crc32(ByteSpan bytes);
/// Whether the stored checksum agrees with the bytes; an error when the image lacks them.
[[nodiscard]] Result<bool> checksumAgrees(const Image& image, const ChecksumArea& area);
/// Writes the right checksum into the areas whose bytes the image holds; returns how many had to change.
[[nodiscard]] Result<int> mendChecksums(Image& image, const std::vector<ChecksumArea>& areas);

}  // namespace brusk::image
