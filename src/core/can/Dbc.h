// DBC: the signals of broadcast frames, as makers of sensors and gateways describe them.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "core/base/Result.h"
#include "core/can/CanFrame.h"

namespace brusk::can {

/// A signal is in a frame only when a switch signal of the same message has one of these values.
struct DbcMultiplex {
    std::string by;  ///< the switch; empty: the message's only one
    /// Least and most, both included.
    std::vector<std::pair<uint64_t, uint64_t>> values;
};

struct DbcSignal {
    enum class Number { Integer, Float32, Float64 };
    std::string name;
    std::string unit;
    int startBit = 0;
    int bits = 0;
    bool bigEndian = false;  ///< "@0": the start bit is the most significant one
    bool isSigned = false;
    double factor = 1;
    double offset = 0;
    Number number = Number::Integer;
    std::string comment = {};
    std::vector<std::pair<int64_t, std::string>> texts = {};  ///< of raw values, by value
    bool isSwitch = false;                                    ///< others depend on it
    std::optional<DbcMultiplex> multiplex = {};

    /// The bits as they are; nothing when the frame is too short for them.
    std::optional<uint64_t> raw(const CanFrame& frame) const;
    /// The physical value in a frame, whatever a switch says; NaN when the frame is too short for it.
    double decode(const CanFrame& frame) const;
};

struct DbcMessage {
    uint32_t id = 0;
    bool extended = false;
    std::string name;
    std::vector<DbcSignal> signalList;

    /// The physical value (NaN when the frame is too short); nothing when the frame holds other signals in its place.
    std::optional<double> value(const DbcSignal& signal, const CanFrame& frame) const;
    const DbcSignal* find(std::string_view signal) const;
};

struct Dbc {
    std::vector<DbcMessage> messages;
    std::vector<std::string> damage;  ///< what can't be read, a sentence each with its line
};

/// Reads messages and signals with their multiplexing (also nested), number types, texts of values and comments; what
/// else a file says is passed over. A part that can't be read costs itself; no message at all is an error.
[[nodiscard]] Result<Dbc> readDbc(std::string_view text);

}  // namespace brusk::can
