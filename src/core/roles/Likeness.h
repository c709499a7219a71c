// Who may play a role, by name, description and unit: for definitions and for recordings of strangers alike. A guess is
// for a person to confirm.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "core/roles/Role.h"

namespace brusk::roles {

/// Something that a stranger named.
struct Named {
    std::string_view name, label, description, unit;
};

/// 1: units of the same quantity; 0.5: nobody can tell; 0: of another.
double unitFits(std::string_view unit, std::string_view wanted);

struct Likeness {
    double score = 0;    ///< 0 to 1
    std::string reason;  ///< "\"sensor\", \"slope\"; unit kPa/V"
};

/// How much a thing looks like a player of this role; nothing when too little. `unitFit` as unitFits() tells it.
std::optional<Likeness> likeness(const Meaning& role, const Named& thing, double unitFit);

/// The role that a channel of a recording most likely plays, and how likely.
struct LikelyRole {
    Role role;
    Likeness likeness;
};
std::optional<LikelyRole> likeliestChannel(const Named& thing);

}  // namespace brusk::roles
