// A car with the parts of a build sheet fitted, as far as the plant has numbers for them.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <map>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "benchcar/plant/Build.h"
#include "core/base/Result.h"

namespace brusk::benchcar {

/// What a build sheet says of the fitted parts: its numbers by their keys in files, in the sheet's units. The bench car
/// knows nothing else of sheets.
struct SheetNumbers {
    std::map<std::string, double> stock, fitted;
    std::vector<std::pair<double, double>> deadTimes;  ///< volts and microseconds, rising
    std::vector<double> gears;                         ///< ratios from first on
    std::string regulator;                             ///< "to the manifold", "to the weather", or nothing
    std::string wideband;  ///< "in the pipe", "before the turbine", "behind the catalyst", or nothing
    bool hasMeterCurve = false;
};

/// From a build sheet's file (JSON). BadInput when it is none; members that are no parts are passed over.
[[nodiscard]] Result<SheetNumbers> sheetNumbers(std::string_view text);

/// The car with these parts; what the sheet is silent of stays stock. BadInput names the parts that the plant can't be
/// given. Dead times are taken as the straight line nearest to their table.
[[nodiscard]] Result<Build> fromSheet(Build stock, const SheetNumbers& sheet);

}  // namespace brusk::benchcar
