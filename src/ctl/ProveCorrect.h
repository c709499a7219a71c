// What corrections claim, held against the plant: calibrations wrong in one part by a drawn amount, corrected, flashed
// and driven again.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <string>
#include <vector>

#include "core/base/Result.h"

namespace brusk::ctl {

struct CorrectOrders {
    std::vector<std::string> kinds;  ///< empty: all
    std::string model;               ///< "heron" or "crane"; empty: both where the kind fits both
    int seeds = 10;
    int rounds = 3;
};

/// One car, driven and corrected.
struct CorrectRun {
    std::string car;                ///< "heron 3": by which it can be driven again
    double amount = 0;              ///< by which its calibration was wrong
    std::vector<double> figure;     ///< at the start and after each round, by the plant
    std::vector<double> nearest;    ///< the same where cells are put to the mean of what was nearest to them
    std::vector<double> promised;   ///< what each round promised of its own figure
    std::vector<double> came;       ///< and what the next drive measured
    std::vector<std::string> said;  ///< what was said each time, a line
    double leanest = 0;  ///< s beyond 1.03 of asked, or above 0.92 beyond 130 kPa, in stretches of over 0.3 s
    int rounds = -1;     ///< until the target was met; -1: never
};

struct CorrectCase {
    std::string kind, title, unit;
    double target = 0;  ///< of the figure
    std::string what;   ///< the figure, in words
    std::vector<CorrectRun> runs;
    /// Right calibrations of the same cars: the figure before and after.
    std::vector<std::pair<double, double>> harm;
};

struct CorrectProof {
    std::vector<CorrectCase> cases;
};

[[nodiscard]] Result<CorrectProof> proveCorrect(const std::string& dataFolder, const CorrectOrders& orders,
                                                const std::function<void(const std::string&)>& progress);
std::string tableOf(const CorrectProof& proof);

}  // namespace brusk::ctl
