// Small text helpers: hexadecimal, exact number parsing that ignores the locale, plain number formatting.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>

#include "core/base/Bytes.h"

namespace brusk {

/// "0x8C0000": eight digits at most, upper case.
std::string hexAddress(uint64_t address);
/// Bytes as lower-case hexadecimal without blanks.
std::string hexBytes(ByteSpan bytes);
/// The whole text as a number ("1.5", "-3e2", "0x1F"); nothing when any character is left over.
std::optional<double> parseNumber(std::string_view text);
/// The whole text as an unsigned integer, decimal or with 0x.
std::optional<uint64_t> parseUnsigned(std::string_view text);
/// At most `decimals` digits after the point, rounded half away from zero by the C library, "-0" written as "0".
std::string formatNumber(double value, int decimals);
/// The shortest text that reads back as the same number.
std::string exactNumber(double value);
/// The text as valid UTF-8: what is no UTF-8 is taken as Latin-1, byte by byte, and what is no character there (C1
/// controls) or would break a line of output (C0 controls but tab, line feed and return) becomes U+FFFD. For everything
/// that comes from outside: controllers, definitions, recordings, file names.
std::string validText(std::string_view text);
/// One character as UTF-8; what is none (a lone surrogate, above U+10FFFF) as U+FFFD.
void appendUtf8(std::string& out, uint32_t character);
/// UTF-16 as valid UTF-8; a lone surrogate and a last odd byte become U+FFFD.
std::string fromUtf16(ByteSpan bytes, ByteOrder order);
/// Whether every byte belongs to a UTF-8 character; a character that is cut off at the end is one.
bool isUtf8(std::string_view text);
std::string toLower(std::string_view text);
std::string_view trimmed(std::string_view text);
/// SHA-256 of the bytes in lower-case hexadecimal (FIPS 180-4).
std::string sha256Hex(ByteSpan bytes);

}  // namespace brusk
