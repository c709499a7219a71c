// Bits to numbers and texts.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recording/mdf/Field.h"

#include <bit>
#include <chrono>
#include <cmath>

#include "core/base/Text.h"
#include "core/recording/IsoTime.h"

namespace brusk::recording::mdf {

std::string Field::objection() const {
    if (isInteger() && (bits == 0 || bits > 64 || bit > 7 || bit + bits > 64))
        return "an integer of " + std::to_string(bits) + " bits from bit " + std::to_string(bit);
    if (isReal() && ((bits != 16 && bits != 32 && bits != 64) || bit != 0))
        return "a real number of " + std::to_string(bits) + " bits from bit " + std::to_string(bit);
    if (isText() && (bits % 8 != 0 || bit != 0)) return "a text of " + std::to_string(bits) + " bits";
    if (type > DataType::ComplexBig)
        return "data of type " + std::to_string(static_cast<int>(type)) + ", which the standard to 4.2 does not know";
    return {};
}

namespace {

/// IEEE 754 half precision.
double half(uint64_t bits) {
    const double sign = bits & 0x8000 ? -1 : 1;
    const int exponent = static_cast<int>(bits >> 10 & 0x1F);
    const auto fraction = static_cast<double>(bits & 0x3FF);
    if (exponent == 0x1F) return fraction != 0 ? std::nan("") : sign * INFINITY;
    if (exponent == 0) return sign * std::ldexp(fraction, -24);
    return sign * std::ldexp(1024 + fraction, exponent - 25);
}

std::string isoDate(std::chrono::sys_days day, int64_t ms) {
    const auto seconds = std::chrono::sys_seconds(day).time_since_epoch().count() + ms / 1000;
    const std::string thousandths = std::to_string(1000 + ms % 1000);
    return isoTime(seconds) + "." + thousandths.substr(1);
}

/// CiA 301: minutes with milliseconds, hour, day, month, year of the century.
std::string canOpenDate(const uint8_t* at) {
    const auto ms = static_cast<int64_t>(loadUnsigned(at, 2, ByteOrder::LittleEndian) % 60000);
    const std::chrono::year_month_day date(std::chrono::year(2000 + (at[6] & 0x7F)), std::chrono::month(at[5] & 0x3F),
                                           std::chrono::day(at[4] & 0x1F));
    if (!date.ok()) return "no date";
    return isoDate(date, (at[2] & 0x3F) * 60000 + (at[3] & 0x1F) * 3600000 + ms);
}

/// CiA 301: milliseconds after midnight, days since 1984.
std::string canOpenTime(const uint8_t* at) {
    const auto ms = static_cast<int64_t>(loadUnsigned(at, 4, ByteOrder::LittleEndian) & 0x0FFFFFFF);
    const auto days = static_cast<int>(loadUnsigned(at + 4, 2, ByteOrder::LittleEndian));
    return isoDate(std::chrono::sys_days(std::chrono::year(1984) / 1 / 1) + std::chrono::days(days), ms);
}

std::string untilNull(std::string_view text) {
    return validText(text.substr(0, text.find('\0')));
}

std::string latin1(ByteSpan bytes) {
    std::string out;
    for (const uint8_t byte : bytes) {
        if (byte == 0) break;
        appendUtf8(out, byte);
    }
    return validText(out);
}

}  // namespace

double Field::number(const uint8_t* at) const {
    const bool big = type == DataType::UnsignedBig || type == DataType::SignedBig || type == DataType::RealBig;
    uint64_t raw = loadUnsigned(at, static_cast<size_t>(bytes()), big ? ByteOrder::BigEndian : ByteOrder::LittleEndian);
    if (isReal()) {
        if (bits == 16) return half(raw);
        return bits == 32 ? static_cast<double>(std::bit_cast<float>(static_cast<uint32_t>(raw)))
                          : std::bit_cast<double>(raw);
    }
    raw >>= bit;
    const auto unused = static_cast<unsigned>(64 - bits);
    if (type == DataType::SignedLittle || type == DataType::SignedBig)
        return static_cast<double>(static_cast<int64_t>(raw << unused) >> unused);
    return static_cast<double>(raw << unused >> unused);
}

std::string Field::text(ByteSpan bytes) const {
    constexpr size_t kDate = 7, kTime = 6;
    switch (type) {
        case DataType::Latin1:
            return latin1(bytes);
        case DataType::Utf8:
            return untilNull(asText(bytes));
        case DataType::Utf16Little:
        case DataType::Utf16Big:
            return untilNull(
                fromUtf16(bytes, type == DataType::Utf16Big ? ByteOrder::BigEndian : ByteOrder::LittleEndian));
        case DataType::CanOpenDate:
            return bytes.size() < kDate ? "" : canOpenDate(bytes.data());
        case DataType::CanOpenTime:
            return bytes.size() < kTime ? "" : canOpenTime(bytes.data());
        default:
            return hexBytes(bytes);
    }
}

}  // namespace brusk::recording::mdf
