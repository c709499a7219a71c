// Who may play a role in a definition that does not say, by name, unit and shape. A guess is for a person to confirm.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/definition/Definition.h"

namespace brusk::definition {

/// The shape that a parameter can play.
roles::Shape shapeOf(const Parameter& parameter);

/// Somebody who may play a role.
struct RoleGuess {
    uint32_t index = 0;  ///< into Definition::parameters, or measurements
    double score = 0;    ///< 0 to 1
    std::string reason;  ///< "\"sensor\", \"slope\"; unit kPa/V"
};

/// Who may play it, likeliest first, at most `most`. Whoever has a role already is left out; so is what measures
/// another quantity or has another shape.
std::vector<RoleGuess> guessRole(const Definition& definition, const roles::Meaning& role, size_t most);

/// Roles that nobody in the definition plays, each with its likeliest players; roles without any are left out.
struct MissingRole {
    const roles::Meaning* role = nullptr;
    std::vector<RoleGuess> guesses;
};
std::vector<MissingRole> missingRoles(const Definition& definition, size_t most);

}  // namespace brusk::definition
