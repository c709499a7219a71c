// What the first pull on other bytes will be like: learned trims stay when a map is flashed.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/calibration/Calibration.h"
#include "core/evidence/Drives.h"

namespace brusk::evidence {

/// How far the mixture of a pull, once what is asked for stands, lies from that, as this car's wideband tells it: in
/// per cent of lambda, above nil lean.
struct FirstPull {
    double withLearned_pct = 0;  ///< what was learned left as it is
    double cleared_pct = 0;      ///< what was learned cleared
    double trim_pct = 0;         ///< the learned trim that acts there
    /// Whether it is better off without what was learned, by more than anybody would notice.
    bool betterCleared() const;
    std::string sentence() const;
    /// "2.1 % lean", "right".
    static std::string offText(double pct);
};

/// Once the map is right: the learned trim that acts at the greatest airflow that was driven, by what the newest drive
/// left. Nothing where no drive kept what was learned.
std::optional<FirstPull> firstPull(const calibration::Calibration& inCar, const Drives& drives);
/// With `next` in the car, right or not: what pulls told, or settled driving under the most load where there was none,
/// said anew by replay, every speed alike and with the trim of its own airflow. As if `next` were right where nothing
/// tells the mixture there, and where `next` reads the sensors otherwise: then what was recorded is not what it would
/// look up.
std::optional<FirstPull> firstPull(const calibration::Calibration& inCar, const Drives& drives,
                                   const calibration::Calibration& next);

/// What pulls told of the mixture, from when what is asked for stands; settled driving leaves them out. None where
/// nobody recorded a wideband.
Mixture pullMixture(const Drives& drives);

}  // namespace brusk::evidence
