// First changes for the parts fitted, each with its formula.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/proposals/BuildSheet.h"
#include "core/proposals/Proposal.h"

namespace brusk::proposals {

/// Proposals for what the build sheet says, in the order of causes. A part whose parameter (by role) the definition
/// lacks is an error that names it.
///
/// Injectors: q = q_rated sqrt(dp / dp_rated) (Bernoulli); dead times from the maker's table, linear between its
/// points. Pressure sensor: p = slope V + offset through two points. Fuel: stoichiometric ratio by mass fractions
/// (units::stoichiometricRatio).
[[nodiscard]] Result<std::vector<Proposal>> baseProposals(const calibration::Calibration& calibration,
                                                          const BuildSheet& sheet);

}  // namespace brusk::proposals
