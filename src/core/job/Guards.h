// What can be watched while this car is driven: the guards that ship, by its roles and its parts, and one's own.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/drive/Guard.h"
#include "core/drive/Trigger.h"
#include "core/job/Garage.h"
#include "core/proposals/BuildSheet.h"

namespace brusk::job {

/// Everything that can be recorded of this car, as groups without samples: the controller's measurements, and what
/// its external sensors send.
recording::Recording everythingOf(const Kit& kit);
/// The guards that ship, for this car with these parts.
drive::ShippedGuards guardsFor(const Kit& kit, const proposals::BuildSheet& sheet);
/// The same of whatever is recorded.
drive::ShippedGuards guardsFor(const recording::Vocabulary& vocabulary, const proposals::BuildSheet& sheet);
/// An error where a guard or an arming can't be asked.
[[nodiscard]] Done askable(const recording::Vocabulary& vocabulary, const std::vector<drive::Guard>& guards,
                           const std::optional<drive::Arming>& arming);
/// One's own, as somebody types it: "CONDITION;SECONDS;SENTENCE". BadInput says which part is wrong, and where.
[[nodiscard]] Result<drive::Guard> guardFromText(const recording::Vocabulary& vocabulary, const std::string& text);
/// Names of the measurements that guards and an arming ask for, to be recorded beside what is chosen. An error where
/// one can't be asked of this car.
[[nodiscard]] Result<std::vector<std::string>> channelsAskedFor(const Kit& kit, const std::vector<drive::Guard>& guards,
                                                                const std::optional<drive::Arming>& arming);

}  // namespace brusk::job
