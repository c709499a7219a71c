// A channel's place in a record, and what its bits are: ASAM MDF 4.2.0, 6.16.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <optional>
#include <string>

#include "core/base/Bytes.h"

namespace brusk::recording::mdf {

/// cn_data_type.
enum class DataType : uint8_t {
    UnsignedLittle = 0,
    UnsignedBig = 1,
    SignedLittle = 2,
    SignedBig = 3,
    RealLittle = 4,
    RealBig = 5,
    Latin1 = 6,
    Utf8 = 7,
    Utf16Little = 8,
    Utf16Big = 9,
    Bytes = 10,
    MimeSample = 11,
    MimeStream = 12,
    CanOpenDate = 13,
    CanOpenTime = 14,
    ComplexLittle = 15,
    ComplexBig = 16
};

struct Field {
    DataType type = DataType::UnsignedLittle;
    uint64_t byte = 0;  ///< in the record, behind its id
    unsigned bit = 0;   ///< of that byte, 0 to 7
    uint64_t bits = 0;

    bool isText() const { return type >= DataType::Latin1 && type <= DataType::CanOpenTime; }
    bool isReal() const { return type == DataType::RealLittle || type == DataType::RealBig; }
    bool isInteger() const { return type <= DataType::SignedBig; }
    /// Bytes of the record that it touches.
    uint64_t bytes() const { return (bit + bits + 7) / 8; }
    /// What is wrong with it; empty where nothing is.
    std::string objection() const;
    /// The number at the beginning of the field's bytes. For numbers.
    double number(const uint8_t* at) const;
    /// The text that these bytes are. For texts; bytes become hexadecimal digits, dates and times ISO 8601.
    std::string text(ByteSpan bytes) const;
};

}  // namespace brusk::recording::mdf
