// A change to one parameter that Brusk computed, with its reason, waiting for a yes.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>
#include <vector>

#include "core/calibration/Calibration.h"

namespace brusk::proposals {

struct Proposal {
    std::string cause;      ///< "Injectors": what of the car asks for it
    std::string parameter;  ///< name in the definition
    std::string label;
    std::string reason;   ///< a sentence or two
    std::string formula;  ///< with its numbers
    std::string unit;
    int decimals = 2;
    std::vector<double> x;  ///< breakpoints, for a curve
    std::string xLabel;
    std::vector<double> before;  ///< physical, cell by cell
    std::vector<double> after;   ///< as it will be stored
    calibration::Edit edit;      ///< empty when nothing is to be changed
    bool changes() const { return !edit.empty(); }
};

}  // namespace brusk::proposals
