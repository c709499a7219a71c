// One frame a line: "(1436509052.249713) can0 7E0#023E00".
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/can/Candump.h"

#include <algorithm>
#include <charconv>
#include <cstdio>

#include "core/base/Text.h"

namespace brusk::can {

std::string toCandump(const std::vector<LoggedFrame>& frames, const std::string& interface) {
    std::string out;
    out.reserve(frames.size() * 48);
    char text[64];
    for (const LoggedFrame& logged : frames) {
        const CanFrame& f = logged.frame;
        std::snprintf(text, sizeof text, "(%010lld.%06lld) ", static_cast<long long>(f.time_us / 1000000),
                      static_cast<long long>(f.time_us % 1000000));
        out += text;
        out += interface;
        std::snprintf(text, sizeof text, f.extended ? " %08X#" : " %03X#", f.id);
        out += text;
        for (size_t i = 0; i < f.length; ++i) {
            std::snprintf(text, sizeof text, "%02X", f.data[i]);
            out += text;
        }
        out += '\n';
    }
    return out;
}

namespace {

/// All of `text` as hexadecimal.
std::optional<uint32_t> hexNumber(std::string_view text) {
    uint32_t value = 0;
    const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), value, 16);
    if (error != std::errc() || end != text.data() + text.size() || text.empty()) return std::nullopt;
    return value;
}

/// "(1436509052.249713)" in microseconds.
std::optional<int64_t> logTime(std::string_view text) {
    if (text.size() < 4 || text.front() != '(' || text.back() != ')') return std::nullopt;
    text = text.substr(1, text.size() - 2);
    const size_t point = text.find('.');
    if (point == std::string_view::npos || text.size() - point - 1 != 6) return std::nullopt;
    const auto seconds = parseUnsigned(std::string("1") + std::string(text.substr(0, point)));
    const auto micros = parseUnsigned(std::string("1") + std::string(text.substr(point + 1)));
    if (point > 12 || !seconds || !micros) return std::nullopt;
    uint64_t head = 1;
    for (size_t i = 0; i < point; ++i)
        head *= 10;
    return static_cast<int64_t>((*seconds - head) * 1000000 + (*micros - 1000000));
}

/// "7E0#023E00": nothing when it is wrong; `other` when it is of a kind that is passed over.
std::optional<CanFrame> logFrame(std::string_view text, bool& other) {
    const size_t mark = text.find('#');
    if (mark != 3 && mark != 8) return std::nullopt;
    const auto id = hexNumber(text.substr(0, mark));
    if (!id) return std::nullopt;
    std::string_view data = text.substr(mark + 1);
    const bool errorFrame = mark == 8 && *id & 0x20000000u;
    other = errorFrame || (!data.empty() && (data[0] == '#' || data[0] == 'R'));
    CanFrame frame;
    if (other) return frame;
    frame.extended = mark == 8;
    frame.id = *id;
    if (*id > (frame.extended ? 0x1FFFFFFFu : 0x7FFu) || data.size() > 16 || data.size() % 2) return std::nullopt;
    for (; !data.empty(); data.remove_prefix(2)) {
        const auto byte = hexNumber(data.substr(0, 2));
        if (!byte) return std::nullopt;
        frame.data[frame.length++] = static_cast<uint8_t>(*byte);
    }
    return frame;
}

}  // namespace

namespace {

/// Takes a line into the log; what is wrong with it, empty where nothing is.
std::string takeLine(std::string_view line, CandumpLog& out) {
    std::vector<std::string_view> words;
    while (!line.empty()) {
        const size_t blank = std::min(line.find(' '), line.size());
        words.push_back(line.substr(0, blank));
        line = trimmed(line.substr(blank));
    }
    if (words.size() < 3) return "a time, an interface and a frame were expected";
    const auto time = logTime(words[0]);
    if (!time) return "\"" + validText(words[0].substr(0, 40)) + "\" is no time";
    bool other = false;
    auto frame = logFrame(words[2], other);
    if (!frame) return "\"" + validText(words[2].substr(0, 40)) + "\" is no frame";
    if (std::find(out.interfaces.begin(), out.interfaces.end(), words[1]) == out.interfaces.end() &&
        out.interfaces.size() < 100)
        out.interfaces.push_back(validText(words[1]));
    if (other) {
        ++out.passedOver;
        return {};
    }
    frame->time_us = *time;
    // Newer candump marks the direction: T for what its own host sent.
    out.frames.push_back({*frame, words.size() > 3 && words[3] == "T"});
    return {};
}

}  // namespace

Result<CandumpLog> readCandump(std::string_view text) {
    constexpr size_t kInFull = 5;
    CandumpLog out;
    size_t wrong = 0;
    for (size_t number = 1; !text.empty(); ++number) {
        const size_t end = std::min(text.find('\n'), text.size());
        const std::string_view line = trimmed(text.substr(0, end));
        text.remove_prefix(std::min(end + 1, text.size()));
        if (line.empty()) continue;
        const std::string problem = takeLine(line, out);
        if (!problem.empty() && ++wrong <= kInFull)
            out.damage.push_back("Line " + std::to_string(number) + ": " + problem + ".");
    }
    if (wrong > 0 && out.frames.empty() && out.passedOver == 0)
        return fail(ErrorCode::BadInput, "The CAN log can't be read. " + out.damage.front());
    if (wrong > kInFull) out.damage.push_back("In all " + std::to_string(wrong) + " lines can't be read.");
    return out;
}

}  // namespace brusk::can
