// Contradictions within a calibration: numbers that can't both be meant.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/proposals/BuildSheet.h"

namespace brusk::proposals {

struct Contradiction {
    std::string id;         ///< "fan_hysteresis"
    std::string title;      ///< "The fan would never stop"
    std::string why;        ///< a sentence with the numbers
    std::string parameter;  ///< where to look first, by name
};

/// All that is found by role; what a definition has no role for is passed over. A sheet adds what only it knows
/// (thermostat, boost wanted).
std::vector<Contradiction> contradictions(const calibration::Calibration& calibration, const BuildSheet& sheet);

}  // namespace brusk::proposals
