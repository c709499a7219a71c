// Frames as a candump log.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "core/base/Result.h"
#include "core/can/CanFrame.h"

namespace brusk::can {

struct LoggedFrame {
    CanFrame frame;
    bool ours = false;
};

/// A candump log ("(seconds.micros) interface id#data"), as can-utils writes and canplayer replays it.
std::string toCandump(const std::vector<LoggedFrame>& frames, const std::string& interface);

struct CandumpLog {
    std::vector<LoggedFrame> frames;
    std::vector<std::string> interfaces;  ///< in order of appearance
    size_t passedOver = 0;                ///< CAN FD, remote and error frames
    std::vector<std::string> damage;      ///< lines that can't be read, a sentence each for the first of them
};
/// Reads one. A line that can't be read costs itself; a text without any that can is an error that names the first.
[[nodiscard]] Result<CandumpLog> readCandump(std::string_view text);

}  // namespace brusk::can
