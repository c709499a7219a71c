// What was done to the car of a folder, round by round, up to one of them.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/deliver/Report.h"
#include "core/job/Garage.h"
#include "core/job/Rounds.h"

namespace brusk::job {

struct ReportOptions {
    std::string tuner;     ///< who tuned it; empty: not said
    std::string words;     ///< for the owner, as somebody wrote them
    std::string madeWith;  ///< program and version
};
/// The report on the round and all it was made from. What no drive has shown is said to be not measured; rounds that
/// came sealed are named, and their values left out. NotFound when nothing was read yet.
[[nodiscard]] Result<deliver::Report> reportOn(const Kit& kit, const carfolder::CarFolder& folder, int64_t round,
                                               const ReportOptions& options);

}  // namespace brusk::job
