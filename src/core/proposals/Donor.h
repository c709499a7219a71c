// Another car's calibration whose parts are nearer to what is fitted here than our original's: which groups of its
// tables would serve, and why.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/proposals/BuildSheet.h"

namespace brusk::proposals {

struct Donor {
    std::string name;                      ///< "heron-s-donor.hex"
    calibration::Calibration calibration;  ///< through its own definition
    BuildSheet sheet;    ///< its parts, as far as somebody told them; the rest is read from its numbers
    std::string remark;  ///< what nobody could check about it, a sentence
};

/// What a calibration was made for, read from its numbers: cm3, rpm, flow at its pressure in cm3/min, kPa/V, boost in
/// kPa over the weather. Housing bore and tyres are told by comparing with `original`, whose own are on `sheet`.
/// Nothing for a part that leaves no clear trace.
std::optional<double> partReadFrom(const calibration::Calibration& calibration, Fact fact,
                                   const calibration::Calibration& original, const BuildSheet& sheet);

/// Each part as our original expects it: the stock part that the sheet tells, else what the original's numbers tell.
PartNumbers expectedParts(const calibration::Calibration& original, const BuildSheet& sheet);

/// What is worth telling of a donor's parts, because its numbers don't: by these its groups are held against ours.
std::vector<Fact> factsOfDonors();

}  // namespace brusk::proposals
