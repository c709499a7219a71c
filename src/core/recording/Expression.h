// Expressions of channels, compiled once and evaluated over columns.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>
#include <vector>

#include "core/base/Result.h"
#include "core/recording/Recording.h"

namespace brusk::recording {

/// Evaluates `text` (channel names as variables, + - * / ^, comparisons, && ||, functions such as abs and sqrt) for
/// every sample of `clock`. A channel of another group is taken at its last sample before. NaN where a channel has
/// none.
[[nodiscard]] Result<std::vector<double>> evaluate(const std::string& text, const Recording& recording,
                                                   const Group& clock);

/// A channel's values on another group's clock: the last sample not after each time.
std::vector<double> onClock(const Recording::Place& place, const Group& clock);

}  // namespace brusk::recording
