// Byte buffers and a read-only view that never reads beyond its end.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <cstring>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

namespace brusk {

using Bytes = std::vector<uint8_t>;
using ByteSpan = std::span<const uint8_t>;

enum class ByteOrder { BigEndian, LittleEndian };

inline ByteSpan asBytes(std::string_view text) {
    return {reinterpret_cast<const uint8_t*>(text.data()), text.size()};
}

inline std::string_view asText(ByteSpan bytes) {
    return {reinterpret_cast<const char*>(bytes.data()), bytes.size()};
}

/// The unsigned number of `count` (1 to 8) bytes at `at`; the caller has checked the length.
inline uint64_t loadUnsigned(const uint8_t* at, size_t count, ByteOrder order) {
    uint64_t value = 0;
    for (size_t i = 0; i < count; ++i) {
        const size_t k = order == ByteOrder::BigEndian ? i : count - 1 - i;
        value = (value << 8) | at[k];
    }
    return value;
}

inline void storeUnsigned(uint8_t* at, size_t count, ByteOrder order, uint64_t value) {
    for (size_t i = 0; i < count; ++i) {
        const size_t k = order == ByteOrder::BigEndian ? count - 1 - i : i;
        at[k] = static_cast<uint8_t>(value >> (8 * i));
    }
}

/// A bounds-checked view of foreign bytes: every read says nothing when the bytes are not there.
class ByteView {
  public:
    explicit ByteView(ByteSpan bytes) : bytes_(bytes) {}

    size_t size() const { return bytes_.size(); }

    std::optional<ByteSpan> slice(uint64_t offset, uint64_t count) const {
        if (offset > bytes_.size() || count > bytes_.size() - offset) return std::nullopt;
        return bytes_.subspan(offset, count);
    }

    std::optional<uint64_t> number(uint64_t offset, size_t count, ByteOrder order) const {
        const auto part = slice(offset, count);
        if (!part) return std::nullopt;
        return loadUnsigned(part->data(), count, order);
    }

    std::optional<uint64_t> u64(uint64_t offset) const { return number(offset, 8, ByteOrder::LittleEndian); }
    std::optional<uint64_t> u32(uint64_t offset) const { return number(offset, 4, ByteOrder::LittleEndian); }
    std::optional<uint64_t> u16(uint64_t offset) const { return number(offset, 2, ByteOrder::LittleEndian); }

  private:
    ByteSpan bytes_;
};

}  // namespace brusk
