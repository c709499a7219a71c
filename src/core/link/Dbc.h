// DBC: the signals of broadcast frames, as far as an external sensor on the same bus needs them.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "core/base/Result.h"
#include "core/link/CanFrame.h"

namespace brusk::link {

struct DbcSignal {
    std::string name;
    std::string unit;
    int startBit = 0;
    int bits = 0;
    bool bigEndian = false;  ///< "@0": the start bit is the most significant one
    bool isSigned = false;
    double factor = 1;
    double offset = 0;
    /// The physical value in a frame; NaN when the frame is too short for it.
    double decode(const CanFrame& frame) const;
};

struct DbcMessage {
    uint32_t id = 0;
    bool extended = false;
    std::string name;
    std::vector<DbcSignal> signalList;
};

/// Reads BO_ and SG_ lines; the rest of the format is passed over. Errors name the line.
[[nodiscard]] Result<std::vector<DbcMessage>> readDbc(std::string_view text);

}  // namespace brusk::link
