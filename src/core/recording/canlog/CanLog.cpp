// Each frame goes to its message, each signal to its column.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recording/canlog/CanLog.h"

#include <algorithm>
#include <cmath>
#include <cstdio>
#include <map>
#include <set>

#include "core/base/Text.h"
#include "core/can/Candump.h"
#include "core/recording/IsoTime.h"

namespace brusk::recording {

bool isCandump(std::string_view text) {
    constexpr size_t kLooked = 4096;
    text = trimmed(text.substr(0, kLooked));
    if (text.empty() || text[0] != '(') return false;
    const std::string_view line = text.substr(0, text.find_first_of("\r\n"));
    const size_t close = line.find(") ");
    return close != std::string_view::npos && line.find('#', close) != std::string_view::npos &&
           line.find_first_not_of("0123456789.(", 0) == close;
}

namespace {

using can::CanFrame;
using can::DbcMessage;
using can::DbcSignal;

std::string idText(uint32_t id, bool extended) {
    char text[16];
    std::snprintf(text, sizeof text, extended ? "%08X" : "%03X", id);
    return text;
}

/// Signals of a message that are always in the same frames.
struct Part {
    const DbcMessage* message = nullptr;
    std::vector<const DbcSignal*> signalList;
    Group group;
    Numbers<double> time_s = {};
    std::vector<Numbers<double>> values = {};  ///< of each signal

    /// Whether float32 would lose some of what the signal has.
    static bool isCounter(const DbcSignal& signal) {
        constexpr int kFloatBits = 24;
        return signal.bits > kFloatBits && signal.texts.empty();
    }
    /// Of what was taken.
    Group made() && {
        group.rate_hz = nominalRate(time_s);
        group.time_s = Clock(std::move(time_s));
        for (size_t i = 0; i < values.size(); ++i)
            group.channels[i].values = isCounter(*signalList[i])
                                           ? Column(std::move(values[i]))
                                           : Column(Numbers<float>(values[i].begin(), values[i].end()));
        return std::move(group);
    }
};

/// "engine", or "engine, mode 3" for what is there only at a switch's value.
std::string partName(const DbcMessage& message, const DbcSignal& first) {
    if (!first.multiplex) return message.name;
    std::string by = first.multiplex->by;
    for (const DbcSignal& s : message.signalList)
        if (by.empty() && s.isSwitch && !s.multiplex) by = s.name;
    return message.name + ", " + by + " " + std::to_string(first.multiplex->values.front().first);
}

bool sameFrames(const DbcSignal& a, const DbcSignal& b) {
    if (a.multiplex.has_value() != b.multiplex.has_value()) return false;
    return !a.multiplex || (a.multiplex->by == b.multiplex->by && a.multiplex->values == b.multiplex->values);
}

Channel channelOf(const DbcSignal& signal) {
    Channel out{signal.name, signal.unit, signal.comment, {}, {}};
    for (const auto& [raw, text] : signal.texts) {
        const auto value = static_cast<float>(static_cast<double>(raw) * signal.factor + signal.offset);
        if (out.states.empty() || out.states.back().value != value) out.states.push_back({value, text});
    }
    std::sort(out.states.begin(), out.states.end(), [](const State& a, const State& b) { return a.value < b.value; });
    return out;
}

std::vector<Part> partsOf(const DbcMessage& message) {
    std::vector<Part> out;
    for (const DbcSignal& signal : message.signalList) {
        auto part =
            std::find_if(out.begin(), out.end(), [&](const Part& p) { return sameFrames(*p.signalList[0], signal); });
        if (part == out.end()) {
            out.push_back({&message, {}, {}});
            part = out.end() - 1;
            part->group.name = partName(message, signal);
        }
        part->signalList.push_back(&signal);
        part->group.channels.push_back(channelOf(signal));
        part->values.emplace_back();
    }
    return out;
}

void take(Part& part, const CanFrame& frame, double time_s) {
    const auto first = part.message->value(*part.signalList[0], frame);
    if (!first) return;
    part.time_s.push_back(time_s);
    for (size_t i = 0; i < part.signalList.size(); ++i)
        part.values[i].push_back(i == 0 ? *first : part.signalList[i]->decode(frame));
}

/// Wall-clock times since 1970 are a date.
std::string startText(int64_t first_us) {
    constexpr int64_t kYear2000_s = 946684800;
    const int64_t seconds = first_us / 1000000;
    if (seconds < kYear2000_s) return {};
    return isoTime(seconds) + "Z";
}

}  // namespace

Result<Recording> readCanLog(std::string_view text, const std::vector<DbcMessage>& messages) {
    const auto log = can::readCandump(text);
    if (!log) return tl::unexpected(log.error());
    Recording out;
    out.damage = log->damage;
    if (log->frames.empty()) return fail(ErrorCode::BadInput, "There is no frame in this log.");
    std::map<std::pair<uint32_t, bool>, std::vector<Part>> parts;
    for (const DbcMessage& message : messages)
        if (!message.signalList.empty()) parts.try_emplace({message.id, message.extended}, partsOf(message));
    int64_t first_us = INT64_MAX, last_us = INT64_MIN;
    for (const auto& logged : log->frames)
        first_us = std::min(first_us, logged.frame.time_us);
    std::set<std::string> seen;
    size_t back = 0;
    for (const auto& logged : log->frames) {
        const CanFrame& frame = logged.frame;
        constexpr size_t kNamed = 12;
        if (seen.size() < kNamed) seen.insert(idText(frame.id, frame.extended));
        if (frame.time_us < last_us) {
            ++back;
            continue;
        }
        last_us = frame.time_us;
        const auto found = parts.find({frame.id, frame.extended});
        if (found == parts.end()) continue;
        for (Part& part : found->second)
            take(part, frame, static_cast<double>(frame.time_us - first_us) / 1e6);
    }
    if (back > 0) out.damage.push_back(std::to_string(back) + " frames whose time goes back are left out.");
    for (auto& [id, list] : parts)
        for (Part& part : list) {
            if (!part.time_s.empty()) out.groups.push_back(std::move(part).made());
        }
    if (out.groups.empty()) {
        std::string ids;
        for (const std::string& id : seen)
            ids += (ids.empty() ? "" : ", ") + id;
        return fail(ErrorCode::NotFound,
                    messages.empty() ? "A CAN log needs a DBC file that says what its frames mean; it has " + ids + "."
                                     : "No frame of this log is described by the DBC file; it has " + ids + ".");
    }
    out.startedAt = startText(first_us);
    return out;
}

}  // namespace brusk::recording
