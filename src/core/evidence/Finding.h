// What is wrong in what was driven, as far as it shows: what was seen, what it means, how sure that is, what to do.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "core/calibration/Calibration.h"
#include "core/evidence/Drives.h"
#include "core/evidence/Events.h"
#include "core/evidence/Steady.h"

namespace brusk::evidence {

enum class Seriousness : uint8_t {
    Note,   ///< worth knowing
    Warn,   ///< makes corrections wrong, or the car bad
    Danger  ///< can hurt an engine
};
/// "note", "warn", "danger".
std::string_view seriousnessName(Seriousness seriousness);

struct Finding {
    std::string_view check;  ///< one of roles::kCheckNeeds
    Seriousness seriousness = Seriousness::Note;
    double certainty = 0;            ///< that the first of `means` is there, 0 to 1
    std::string seen;                ///< a sentence
    std::vector<std::string> means;  ///< two at most, the likelier first
    std::string todo;                ///< a sentence
    /// What it can't be told from in what was driven, and which drive or fact would tell; a sentence each.
    std::vector<std::string> notApart = {};
    struct Place {
        std::string_view station;  ///< "Maps", "Correct", "Car", "Drive"
        std::string_view kind;     ///< of correction that puts it right; empty: none does
        std::optional<roles::Role> parameter;
    } place;
    std::vector<EventFigure> figures;
    std::vector<Stretch> where;
    std::vector<roles::Role> lanes;  ///< that show it
    std::vector<Taint> taints;
    std::string_view because = {};  ///< the check whose finding this follows from; it is a note then
    /// Whether what it taints is left out of evidence. What may as well be the bytes' fault is learned from all the
    /// same, for that is what corrections are for; what follows from something else is left out with that.
    bool leavesOut() const { return because.empty() && certainty >= kCertain && !taints.empty(); }
    static constexpr double kCertain = 0.85;
};

namespace checks {
struct Shared;
}

/// What a check may look at. `inCar` is null where the bytes are not known.
struct Looked {
    const Drives& drives;
    const std::vector<DriveEvents>& events;  ///< one a drive
    const std::vector<SteadyRow>& steady;    ///< over all drives
    const calibration::Calibration* inCar;
    checks::Shared& shared;  ///< what several checks ask, computed once
};

struct Check {
    std::string_view id;
    void (*look)(const Looked& at, std::vector<Finding>& out);
    const roles::Need& need() const;
};
/// In the order of roles::kCheckNeeds.
std::span<const Check> allChecks();

struct Findings {
    std::vector<Finding> found;  ///< most serious first, then surest, then first in time
    std::vector<std::string_view> looked;
    struct CouldNot {
        std::string_view check;
        std::vector<roles::Role> lacks;  ///< channels to record next time
    };
    std::vector<CouldNot> couldNot;
};
Findings findingsOf(const Drives& drives, const calibration::Calibration* inCar);

}  // namespace brusk::evidence
