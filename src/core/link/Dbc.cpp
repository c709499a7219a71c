// A line a message or signal; bits of either byte order to numbers.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/link/Dbc.h"

#include <cmath>
#include <limits>
#include <regex>

#include "core/base/Text.h"

namespace brusk::link {
namespace {

/// Bit `position` of the data, counted as DBC does: byte = position / 8, bit 0 the least significant of a byte.
int bitAt(const CanFrame& frame, int position) {
    return frame.data[static_cast<size_t>(position / 8)] >> (position % 8) & 1;
}

}  // namespace

double DbcSignal::decode(const CanFrame& frame) const {
    uint64_t raw = 0;
    int position = startBit;
    for (int i = 0; i < bits; ++i) {
        if (position < 0 || position >= frame.length * 8) return std::numeric_limits<double>::quiet_NaN();
        if (bigEndian) {
            raw = raw << 1 | static_cast<uint64_t>(bitAt(frame, position));
            position = position % 8 == 0 ? position + 15 : position - 1;
        } else {
            raw |= static_cast<uint64_t>(bitAt(frame, position)) << i;
            ++position;
        }
    }
    double value = static_cast<double>(raw);
    if (isSigned && bits < 64 && raw >> (bits - 1) & 1) value -= std::ldexp(1.0, bits);
    return value * factor + offset;
}

Result<std::vector<DbcMessage>> readDbc(std::string_view text) {
    static const std::regex message(R"(^BO_\s+(\d+)\s+(\w+)\s*:\s*(\d+)\s+\w+.*)");
    static const std::regex signal(
        R"re(^SG_\s+(\w+)\s*(?:M|m\d+)?\s*:\s*(\d+)\|(\d+)@([01])([+-])\s*\(([^,]+),([^)]+)\)\s*\[[^\]]*\]\s*"([^"]*)".*)re");
    std::vector<DbcMessage> out;
    int line = 0;
    while (!text.empty()) {
        const size_t end = text.find('\n');
        const std::string row(trimmed(text.substr(0, end)));
        text.remove_prefix(end == std::string_view::npos ? text.size() : end + 1);
        ++line;
        const auto bad = [&](const char* what) {
            return fail(ErrorCode::BadInput, "DBC line " + std::to_string(line) + ": " + what + ".");
        };
        if (row.size() > 1000) continue;
        std::smatch part;
        if (row.starts_with("BO_ ")) {
            if (!std::regex_match(row, part, message)) return bad("a message can't be read");
            const auto id = parseUnsigned(part[1].str());
            if (!id || *id > 0xFFFFFFFF) return bad("a message's identifier is out of range");
            out.push_back(
                {static_cast<uint32_t>(*id & 0x1FFFFFFF), (*id & 0x80000000) != 0, validText(part[2].str()), {}});
        } else if (row.starts_with("SG_ ")) {
            if (!std::regex_match(row, part, signal)) return bad("a signal can't be read");
            if (out.empty()) return bad("a signal stands before any message");
            const auto start = parseUnsigned(part[2].str());
            const auto bits = parseUnsigned(part[3].str());
            const auto factor = parseNumber(trimmed(part[6].str()));
            const auto offset = parseNumber(trimmed(part[7].str()));
            if (!start || !bits || !factor || !offset || *start > 63 || *bits == 0 || *bits > 64)
                return bad("a signal's place or scale is out of range");
            out.back().signalList.push_back({validText(part[1].str()), validText(part[8].str()),
                                             static_cast<int>(*start), static_cast<int>(*bits), part[4] == "0",
                                             part[5] == "-", *factor, *offset});
        }
    }
    if (out.empty()) return fail(ErrorCode::BadInput, "There is no message in this DBC file.");
    return out;
}

}  // namespace brusk::link
