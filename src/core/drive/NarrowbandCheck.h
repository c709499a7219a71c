// The wideband against the narrowband, before anybody pulls: where the narrowband swings about stoichiometry, a
// wideband has to say 1.00 on the average.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>

#include "core/drive/LiveLayout.h"

namespace brusk::drive {

class NarrowbandCheck {
  public:
    /// Nothing where one of the two is not recorded.
    static std::optional<NarrowbandCheck> of(const LiveLayout& layout);
    /// Its sentence once enough was driven in closed loop; nothing before, and nothing after.
    std::optional<std::string> step(double time_s, const LiveLayout& layout);
    /// What the wideband said on the average so far, lambda.
    double mean() const { return sum_ / seconds_; }

  private:
    NarrowbandCheck(LiveValue wideband, LiveValue narrowband, std::optional<LiveValue> asked)
        : wideband_(std::move(wideband)), narrowband_(std::move(narrowband)), asked_(std::move(asked)) {}

    LiveValue wideband_, narrowband_;
    std::optional<LiveValue> asked_;  ///< lambda, where the controller tells it
    double last_s_ = 0, other_s_ = -1e9, crossed_s_ = -1e9, sum_ = 0, seconds_ = 0;
    int crossings_ = 0;
    bool rich_ = false, told_ = false;
};

}  // namespace brusk::drive
