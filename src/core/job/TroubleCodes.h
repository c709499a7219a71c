// Trouble codes with what was frozen when they were set, and the parameters that have to do with each.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/job/Garage.h"

namespace brusk::job {

struct FrozenReading {
    std::string label;
    std::string unit;
    double value = 0;
};

struct TroubleCodeReport {
    link::TroubleCode code;
    int occurrences = 0;  ///< 0: the controller does not count them
    std::vector<FrozenReading> frozen;
    std::vector<const definition::Parameter*> parameters;  ///< its switch first, then its limits
};

/// The parameters of a definition that name the code ("P0172") in their label or description; switches first.
std::vector<const definition::Parameter*> parametersOfCode(const definition::Definition& definition,
                                                           std::string_view code);

[[nodiscard]] Result<std::vector<TroubleCodeReport>> troubleCodes(link::Uds& uds, const Kit& kit);

}  // namespace brusk::job
