// Numbers without the locale, hexadecimal, SHA-256, and text made valid where it enters.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/Text.h"

#include <fast_float/fast_float.h>
#include <sodium.h>

#include <algorithm>
#include <charconv>
#include <cmath>
#include <cstdio>

namespace brusk {

std::string hexAddress(uint64_t address) {
    char text[24];
    std::snprintf(text, sizeof text, "0x%06llX", static_cast<unsigned long long>(address));
    return text;
}

std::string hexBytes(ByteSpan bytes) {
    static constexpr char digits[] = "0123456789abcdef";
    std::string text;
    text.reserve(bytes.size() * 2);
    for (const uint8_t byte : bytes) {
        text += digits[byte >> 4];
        text += digits[byte & 15];
    }
    return text;
}

std::optional<uint64_t> parseUnsigned(std::string_view text) {
    int base = 10;
    if (text.size() > 2 && text[0] == '0' && (text[1] == 'x' || text[1] == 'X')) {
        text.remove_prefix(2);
        base = 16;
    }
    uint64_t value = 0;
    const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), value, base);
    if (error != std::errc() || end != text.data() + text.size()) return std::nullopt;
    return value;
}

std::optional<double> parseNumber(std::string_view text) {
    if (text.size() > 2 && text[0] == '0' && (text[1] == 'x' || text[1] == 'X')) {
        const auto whole = parseUnsigned(text);
        if (!whole) return std::nullopt;
        return static_cast<double>(*whole);
    }
    if (!text.empty() && text[0] == '+') text.remove_prefix(1);
    double value = 0;
    const auto [end, error] = fast_float::from_chars(text.data(), text.data() + text.size(), value);
    if (error != std::errc() || end != text.data() + text.size()) return std::nullopt;
    return value;
}

std::string formatNumber(double value, int decimals) {
    if (!std::isfinite(value)) return std::isnan(value) ? "-" : (value > 0 ? "inf" : "-inf");
    char text[64];
    std::snprintf(text, sizeof text, "%.*f", decimals, value);
    std::string out = text;
    if (out.find_first_not_of("-0.") == std::string::npos && out[0] == '-') out.erase(0, 1);
    return out;
}

std::string exactNumber(double value) {
    if (value == std::floor(value) && std::abs(value) < 1e15) return formatNumber(value, 0);
    char text[40];
    for (int digits = 6; digits <= 17; ++digits) {
        std::snprintf(text, sizeof text, "%.*g", digits, value);
        if (parseNumber(text) == value) break;
    }
    return text;
}

namespace {

/// How many bytes the UTF-8 character at the front has; 0 when it is none (RFC 3629: no overlong forms, no surrogates,
/// nothing above U+10FFFF).
size_t utf8Length(std::string_view text) {
    const auto at = [&](size_t i) { return static_cast<uint8_t>(text[i]); };
    const uint8_t first = at(0);
    if (first < 0x80) return 1;
    const size_t length = first >= 0xC2 && first <= 0xDF   ? 2
                          : (first & 0xF0) == 0xE0         ? 3
                          : first >= 0xF0 && first <= 0xF4 ? 4
                                                           : 0;
    if (length == 0 || text.size() < length) return 0;
    for (size_t i = 1; i < length; ++i)
        if ((at(i) & 0xC0) != 0x80) return 0;
    if (first == 0xE0 && at(1) < 0xA0) return 0;
    if (first == 0xED && at(1) > 0x9F) return 0;
    if (first == 0xF0 && at(1) < 0x90) return 0;
    if (first == 0xF4 && at(1) > 0x8F) return 0;
    return length;
}

}  // namespace

std::string validText(std::string_view text) {
    constexpr const char* kReplacement = "\xEF\xBF\xBD";
    std::string out;
    out.reserve(text.size());
    while (!text.empty()) {
        const auto byte = static_cast<uint8_t>(text[0]);
        const size_t length = utf8Length(text);
        const bool control = (byte < 0x20 && byte != '\t' && byte != '\n' && byte != '\r') || byte == 0x7F;
        // U+0080 to U+009F are controls as well, however they are written.
        const bool c1 = (length == 2 && byte == 0xC2 && static_cast<uint8_t>(text[1]) < 0xA0) ||
                        (length == 0 && byte >= 0x80 && byte < 0xA0);
        if (control || c1) {
            out += kReplacement;
        } else if (length > 0) {
            out += text.substr(0, length);
        } else {
            out += static_cast<char>(0xC0 | byte >> 6);
            out += static_cast<char>(0x80 | (byte & 0x3F));
        }
        text.remove_prefix(std::max<size_t>(length, 1));
    }
    return out;
}

void appendUtf8(std::string& out, uint32_t character) {
    const auto tail = [&](int shift) { out += static_cast<char>(0x80 | (character >> shift & 0x3F)); };
    if (character > 0x10FFFF || (character >= 0xD800 && character < 0xE000)) character = 0xFFFD;
    if (character < 0x80) {
        out += static_cast<char>(character);
    } else if (character < 0x800) {
        out += static_cast<char>(0xC0 | character >> 6), tail(0);
    } else if (character < 0x10000) {
        out += static_cast<char>(0xE0 | character >> 12), tail(6), tail(0);
    } else {
        out += static_cast<char>(0xF0 | character >> 18), tail(12), tail(6), tail(0);
    }
}

std::string fromUtf16(ByteSpan bytes, ByteOrder order) {
    std::string out;
    out.reserve(bytes.size());
    const auto unit = [&](size_t at) { return static_cast<uint32_t>(loadUnsigned(bytes.data() + at, 2, order)); };
    for (size_t i = 0; i + 1 < bytes.size(); i += 2) {
        uint32_t character = unit(i);
        const bool high = character >= 0xD800 && character < 0xDC00;
        if (high && i + 3 < bytes.size())
            if (const uint32_t low = unit(i + 2); low >= 0xDC00 && low < 0xE000)
                character = 0x10000 + ((character - 0xD800) << 10) + (low - 0xDC00), i += 2;
        appendUtf8(out, character);
    }
    if (bytes.size() % 2) appendUtf8(out, 0xFFFD);
    return out;
}

bool isUtf8(std::string_view text) {
    constexpr size_t kLongest = 4;
    while (!text.empty()) {
        // Most of a file is ASCII.
        size_t length = static_cast<uint8_t>(text[0]) < 0x80 ? 1 : utf8Length(text);
        if (length == 0) return text.size() < kLongest && static_cast<uint8_t>(text[0]) >= 0xC2;
        text.remove_prefix(length);
    }
    return true;
}

std::string toLower(std::string_view text) {
    std::string out(text);
    for (char& c : out)
        if (c >= 'A' && c <= 'Z') c = static_cast<char>(c - 'A' + 'a');
    return out;
}

std::string_view trimmed(std::string_view text) {
    const auto blank = [](char c) { return c == ' ' || c == '\t' || c == '\r' || c == '\n'; };
    while (!text.empty() && blank(text.front()))
        text.remove_prefix(1);
    while (!text.empty() && blank(text.back()))
        text.remove_suffix(1);
    return text;
}

std::string sha256Hex(ByteSpan bytes) {
    uint8_t digest[crypto_hash_sha256_BYTES];
    crypto_hash_sha256(digest, bytes.data(), bytes.size());
    return hexBytes(digest);
}

}  // namespace brusk
