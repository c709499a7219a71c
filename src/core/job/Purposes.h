// Which channels a drive records, by what it is for.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <span>
#include <string>
#include <vector>

#include "core/job/Garage.h"
#include "core/roles/Purposes.h"

namespace brusk::job {

/// A role that a purpose can't do without and that nobody plays in this car, neither the controller nor a sensor.
struct Lack {
    roles::Role role;
    std::vector<const roles::Need*> by;  ///< the kinds and checks that miss it
};

/// What a drive for some purposes should record.
struct PurposeChannels {
    std::vector<std::string> names;  ///< of measurements: what is needed before what only helps, each once
    std::vector<Lack> lacks;         ///< what is missed by most first
};

/// Of one purpose or several. `kit.externalSensors` play roles too; those are recorded whatever is chosen.
PurposeChannels channelsFor(const Kit& kit, std::span<const roles::Purpose* const> purposes);
/// "nobody plays knock retard: Spark: base and octane maps, Knock threshold go without".
std::string lackSentence(const Lack& lack);

}  // namespace brusk::job
