// What corrections claim, held against the plant: calibrations wrong in one part by a drawn amount, corrected, flashed
// and driven again.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "core/base/Result.h"

namespace brusk::ctl {

struct CorrectOrders {
    std::vector<std::string> kinds;  ///< kinds, what is wrong, "first-pull", "together" or "harm"; empty: all
    std::string model;               ///< "heron" or "crane"; empty: both where the kind fits both
    int seeds = 10;
    int rounds = 3;
};

/// A figure before and after a change that nothing asked for, and by how much the worst cell became worse; the figure's
/// unit.
struct CorrectHarm {
    double before = 0, after = 0, cell = 0;
};

/// One car, driven and corrected.
struct CorrectRun {
    std::string car;                ///< "heron 3": by which it can be driven again
    double amount = 0;              ///< by which its calibration was wrong
    std::vector<double> figure;     ///< at the start and after each round, by the plant
    std::vector<double> nearest;    ///< the same where cells are put to the mean of what was nearest to them
    std::vector<double> promised;   ///< what each round promised of its own figure
    std::vector<double> came;       ///< and what the next drive measured
    std::vector<double> kept;       ///< came less promised over the doubt of both; cells where it promised cells
    std::vector<double> misses;     ///< of what it says at first, against the plant, over the doubt it says
    std::vector<std::string> said;  ///< what was said each time, a line
    double leanest = 0;  ///< s beyond 1.03 of asked, or above 0.92 beyond 130 kPa, in stretches of over 0.3 s
    int rounds = -1;     ///< until the target was met; -1: never
    std::optional<CorrectHarm> harm;  ///< on the bytes that were not made wrong
};

struct CorrectCase {
    std::string kind, title, unit;
    double target = 0;   ///< of the figure
    std::string what;    ///< the figure, in words
    bool cells = false;  ///< the figure is one over cells
    std::vector<CorrectRun> runs;
};

/// What was expected of the first pull on new bytes and what came, per cent of lambda, as the car's wideband tells it.
struct FirstPullRun {
    std::string car;
    double trim = 0;  ///< that acts there, per cent
    double expectedLeft = 0, cameLeft = 0, expectedCleared = 0, cameCleared = 0;
    std::string text() const;
};

/// What the bytes are off by, by the plant: us, and per cent.
struct TogetherStage {
    std::string what;
    double dead_us, flow, meter, air, used;
    std::string said;                   ///< of the injectors, a line
    std::vector<std::string> notApart;  ///< what can't be told apart, and what would tell
};
struct TogetherRun {
    std::string car;
    std::vector<TogetherStage> stages;
    std::string text() const;
};

/// A car that is right in every kind, and what a drive over a mountain makes of it; per cent, by the sea.
struct HarmRun {
    std::string car;
    CorrectHarm density, metered, used;
    std::vector<std::string> made;  ///< what was taken for worth correcting
    std::string text() const;
};

struct CorrectProof {
    std::vector<CorrectCase> cases;
    std::vector<FirstPullRun> firstPulls;
    std::vector<TogetherRun> together;
    std::vector<HarmRun> harms;
};

[[nodiscard]] Result<CorrectProof> proveCorrect(const std::string& dataFolder, const CorrectOrders& orders,
                                                const std::function<void(const std::string&)>& progress);
std::string tableOf(const CorrectProof& proof);

}  // namespace brusk::ctl
