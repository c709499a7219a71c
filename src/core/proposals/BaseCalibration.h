// First changes for the parts fitted, each with its formula, computed one upon the other.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <map>

#include "core/proposals/Donor.h"
#include "core/proposals/Proposal.h"

namespace brusk::proposals {

/// What somebody decided about a proposal.
struct Decision {
    bool accepted = true;
    double strength = 1;           ///< 0 to 1, where strength makes sense
    std::optional<double> number;  ///< set by hand instead of the computed one
};
using Decisions = std::map<std::string, Decision>;  ///< by the proposal's id

/// How hard the car may be driven.
enum class Stage { Idle, Gentle, Road, FullLoad };
inline constexpr std::string_view kStages[] = {"Idle", "Gentle", "Road", "Full load"};

struct BasePlan {
    std::vector<Proposal> proposals;  ///< in the order they were computed: what others build on comes first
    std::vector<Waiting> waiting;
    std::vector<std::string> conflicts;  ///< accepted beside something it was computed on that is not; a sentence each
    calibration::Calibration result;     ///< with all that is accepted
    /// All accepted changes, an edit each.
    std::vector<calibration::Edit> edits() const;
    /// What was changed and why, for people to read.
    std::string account(const BuildSheet& sheet) const;
    const Proposal* find(std::string_view id) const;
};

/// What of the car asks for a proposal, by its id; also for one that is not made now.
std::string_view causeOf(std::string_view id);

/// Computes every rule on what the accepted ones before it left. Rules that do not concern this car are passed over in
/// silence; those that lack a fact or a role wait and say for what. `stage`: the limits of the drives that come next.
/// Groups of a donor's tables come first and are offered; a rule that scales a table of the donor starts from the
/// donor's parts. Fails when the sheet holds nonsense (see refusals()).
[[nodiscard]] Result<BasePlan> planBase(const calibration::Calibration& start, const BuildSheet& sheet,
                                        const Decisions& decisions = {}, Stage stage = Stage::FullLoad,
                                        const Donor* donor = nullptr);

}  // namespace brusk::proposals
