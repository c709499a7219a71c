// Broadcast frames of a CAN log as channels, by the DBC files that describe them.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string_view>

#include "core/can/Dbc.h"
#include "core/recording/Recording.h"

namespace brusk::recording {

/// Whether it begins as a candump log does.
bool isCandump(std::string_view text);

/// Reads a candump log: a group for each message of the DBC files that was on the bus (one for each switch value where
/// a message is multiplexed), on its own clock, times from the first frame. Damaged lines cost themselves and are said.
/// An error where no frame is described; it names the identifiers that were seen.
[[nodiscard]] Result<Recording> readCanLog(std::string_view text, const std::vector<can::DbcMessage>& messages);

}  // namespace brusk::recording
