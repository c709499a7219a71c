// What a drive says about knock, boost and idle in one number each, for comparing rounds.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <vector>

#include "core/evidence/Sampled.h"

namespace brusk::evidence {

/// A member without a value had no channel, or no moment, to be told from.
struct DriveFigures {
    std::optional<int> knocks;                 ///< times the knock retard stepped up
    std::optional<double> greatestRetard_deg;  ///< deepest knock retard
    std::optional<double> boostError_kPa;      ///< RMS of pressure less target once it should be there
    std::optional<double> idleSpread_rpm;      ///< standard deviation of engine speed in idle
    std::optional<double> idleOff_rpm;         ///< mean of engine speed less target in idle
    std::optional<double> start_s;             ///< longest time from the starter to an engine that runs by itself
    std::optional<bool> limpMode;              ///< whether the controller fell into it
};

/// Over all drives of a round, by the channels' roles. Boost counts under full pedal from half a second after a turbo
/// should have spooled up, whether or not it came near its target; idle where idle control works and has for three
/// seconds.
DriveFigures driveFigures(const std::vector<const Sampled*>& drives);

}  // namespace brusk::evidence
