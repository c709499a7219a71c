// Fuel by the recorded pulse of an injector, as the calibration that was in the car reckons it.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <vector>

#include "core/calibration/Calibration.h"

namespace brusk::evidence {

/// What the controller makes of a pulse, by the bytes that were in the car.
struct PulseModel {
    double flow_mgus = 0;  ///< fuel a microsecond open
    std::vector<double> battery_V, dead_us;
    double stoichiometric = units::kPetrolRatio;
    double leastPulse_us = 0, dutyLimit_pct = 100;

    /// Dead time in us at a battery voltage.
    double dead(double battery) const;
    /// Fuel in mg of one injection.
    double fuel_mg(double pulse_us, double battery) const;
};
/// Nothing where flow, density, dead time or stoichiometric ratio have no player.
std::optional<PulseModel> pulseModel(const calibration::Calibration& calibration);

}  // namespace brusk::evidence
