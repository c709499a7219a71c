// Time counts while the narrowband keeps crossing its middle.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/drive/NarrowbandCheck.h"

#include <cmath>

#include "core/base/Say.h"
#include "core/base/Text.h"

namespace brusk::drive {
namespace {

constexpr double kMiddle_V = 0.45;
constexpr double kSwings_s = 3;  // a loop that is closed crosses the middle at least so often
constexpr double kEnough_s = 30;
constexpr int kEnoughCrossings = 10;
/// A jump-type sensor's middle lies within this of stoichiometry, and a loop that is not symmetrical adds as much.
constexpr double kAgree = 0.015;
constexpr double kLeast = 0.5, kMost = 1.9;  // beyond these a wideband says nothing
constexpr double kStoichiometry = 0.005, kGoesBy_s = 2;
constexpr double kLongestStep_s = 0.1;

}  // namespace

std::optional<NarrowbandCheck> NarrowbandCheck::of(const LiveLayout& layout) {
    auto wideband = LiveValue::compile("<lambda_measured>", layout);
    auto narrowband = LiveValue::compile("<narrowband>", layout);
    if (!wideband || !narrowband) return std::nullopt;
    auto asked = LiveValue::compile("<lambda_asked>", layout);
    return NarrowbandCheck(std::move(*wideband), std::move(*narrowband),
                           asked ? std::optional(std::move(*asked)) : std::nullopt);
}

std::optional<std::string> NarrowbandCheck::step(double time_s, const LiveLayout& layout) {
    if (told_) return std::nullopt;
    const double lambda = wideband_.step(time_s, layout), volts = narrowband_.step(time_s, layout);
    const double took_s = time_s - last_s_;
    last_s_ = time_s;
    // Where another mixture is asked for, and until it has gone by, nobody holds stoichiometry.
    if (asked_ && !(std::abs(asked_->step(time_s, layout) - 1) < kStoichiometry)) other_s_ = time_s;
    if (time_s - other_s_ < kGoesBy_s) return std::nullopt;
    if (std::isnan(lambda) || std::isnan(volts) || lambda < kLeast || lambda > kMost) return std::nullopt;
    if (const bool rich = volts > kMiddle_V; rich != rich_) {
        rich_ = rich;
        // The time between two crossings counts once the second has come.
        crossings_ += time_s - crossed_s_ < kSwings_s;
        crossed_s_ = time_s;
    }
    if (time_s - crossed_s_ > kSwings_s || took_s > kLongestStep_s) return std::nullopt;
    sum_ += lambda * took_s;
    seconds_ += took_s;
    if (seconds_ < kEnough_s || crossings_ < kEnoughCrossings) return std::nullopt;
    told_ = true;
    const std::string said = formatNumber(mean(), 3);
    if (std::abs(mean() - 1) <= kAgree)
        return say("drive.widebands-agree",
                   "The wideband says {0} on the average where the narrowband swings about stoichiometry: they agree.",
                   {said});
    return say(
        "drive.widebands-disagree",
        "The wideband says {0} on the average where the narrowband swings about stoichiometry, 1.000: its scaling "
        "is off, or air gets in before it. Put it right before the first pull.",
        {said});
}

}  // namespace brusk::drive
