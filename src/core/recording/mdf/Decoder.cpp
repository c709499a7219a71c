// One loop for each kind of whole little-endian number with a linear conversion: most of what is recorded.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recording/mdf/Decoder.h"

#include <bit>
#include <cstring>
#include <limits>

namespace brusk::recording::mdf {

namespace {

template <class Stored, class Number>
void linear(const Field& field, const Conversion& conversion, const Records& records, Number* out) {
    const uint8_t* at = records.first + field.byte;
    const size_t stride = records.stride;
    const auto load = [](const uint8_t* from) {
        Stored value;
        std::memcpy(&value, from, sizeof value);
        return value;
    };
    const double offset = conversion.offset(), factor = conversion.factor();
    if (offset == 0 && factor == 1) {
        for (size_t row = 0; row < records.count; ++row, at += stride)
            out[row] = static_cast<Number>(load(at));
        return;
    }
    for (size_t row = 0; row < records.count; ++row, at += stride)
        out[row] = static_cast<Number>(offset + factor * static_cast<double>(load(at)));
}

template <class Number>
bool plain(const Field& field, const Conversion& conversion, const Records& records, Number* out) {
    static_assert(std::endian::native == std::endian::little);
    if (!conversion.linear() || field.bit != 0) return false;
    const auto as = [&]<class Stored>(Stored) {
        linear<Stored>(field, conversion, records, out);
        return true;
    };
    const bool isSigned = field.type == DataType::SignedLittle;
    if (field.type == DataType::RealLittle) {
        if (field.bits == 32) return as(float{});
        if (field.bits == 64) return as(double{});
    } else if (isSigned || field.type == DataType::UnsignedLittle) {
        if (field.bits == 8) return isSigned ? as(int8_t{}) : as(uint8_t{});
        if (field.bits == 16) return isSigned ? as(int16_t{}) : as(uint16_t{});
        if (field.bits == 32) return isSigned ? as(int32_t{}) : as(uint32_t{});
        if (field.bits == 64) return isSigned ? as(int64_t{}) : as(uint64_t{});
    }
    return false;
}

}  // namespace

template <class Number>
void decodeNumbers(const Field& field, const Conversion& conversion, bool counted, const Records& records,
                   Number* out) {
    if (!counted && plain(field, conversion, records, out)) return;
    const uint8_t* at = records.first + field.byte;
    for (size_t row = 0; row < records.count; ++row) {
        const double raw =
            counted ? static_cast<double>(records.firstRow + row) : field.number(at + row * records.stride);
        out[row] = static_cast<Number>(conversion.number(raw));
    }
}

template <class Number>
void dropInvalid(uint64_t byte, uint64_t bit, const Records& records, Number* out) {
    for (size_t row = 0; row < records.count; ++row)
        if (records.first[row * records.stride + byte] >> bit & 1) out[row] = std::numeric_limits<Number>::quiet_NaN();
}

template void decodeNumbers(const Field&, const Conversion&, bool, const Records&, float*);
template void decodeNumbers(const Field&, const Conversion&, bool, const Records&, double*);
template void dropInvalid(uint64_t, uint64_t, const Records&, float*);
template void dropInvalid(uint64_t, uint64_t, const Records&, double*);

}  // namespace brusk::recording::mdf
