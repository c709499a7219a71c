// Parts that are fitted again and again: what stands on their data sheet, to be put on a build sheet at once.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/proposals/BuildSheet.h"

namespace brusk::proposals {

struct Part {
    std::string name;   ///< "Tarnow 620"
    std::string group;  ///< of FactKind: "Injectors"
    std::vector<std::pair<Fact, double>> facts;
    std::vector<DeadTimePoint> deadTimes;  ///< of injectors
    std::vector<MeterPoint> meterCurve;    ///< of an airflow meter in its own housing
    bool own = false;                      ///< kept by whoever tunes, not one that ships
    bool operator==(const Part&) const = default;
};

/// Puts a part on the sheet, fitted or as what the car was sold with. Injectors and sensors are told by one part alone:
/// what the sheet said of another is gone. Dead times are those of the fitted injectors.
void put(BuildSheet& sheet, const Part& part, bool isFitted);
/// What a sheet says of a group's fitted parts, under a name; nothing when it says nothing. A wish is no part.
std::optional<Part> partOn(const BuildSheet& sheet, const std::string& group, const std::string& name);
/// What of a part can't be: a fact of another group, a number that no such part has; empty when all is well.
std::string refusalOf(const Part& part);

}  // namespace brusk::proposals
