// What parameters and measurements can mean to an engine, and a guess of who plays which role in a definition that does
// not say, by name, unit and shape. A guess is for a person to confirm.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <span>

#include "core/definition/Definition.h"

namespace brusk::definition {

/// One role that Brusk knows.
struct RoleMeaning {
    std::string_view role;
    std::string_view title;  ///< as a tuner says it
    bool measured = false;   ///< a channel, otherwise a parameter
    Parameter::Kind kind = Parameter::Kind::Value;
    std::string_view unit;  ///< one of its quantity; empty: a number without one, a switch or a choice
    std::string_view x, y;  ///< units of its axes
    /// Words that its name or description has: blanks part them, a bar parts words for the same thing.
    std::string_view words;
};

std::span<const RoleMeaning> knownRoles();
/// Null for a role that Brusk has no use for.
const RoleMeaning* knownRole(std::string_view role);

/// Somebody who may play a role.
struct RoleGuess {
    uint32_t index = 0;  ///< into Definition::parameters, or measurements
    double score = 0;    ///< 0 to 1
    std::string reason;  ///< "unit kPa/V, map; \"sensor\", \"slope\" in its description"
};

/// Who may play it, likeliest first, at most `most`. Whoever has a role already is left out; so is what measures
/// another quantity or has another shape.
std::vector<RoleGuess> guessRole(const Definition& definition, const RoleMeaning& role, size_t most);

/// Roles that nobody in the definition plays, each with its likeliest players; roles without any are left out.
struct MissingRole {
    const RoleMeaning* role = nullptr;
    std::vector<RoleGuess> guesses;
};
std::vector<MissingRole> missingRoles(const Definition& definition, size_t most);

}  // namespace brusk::definition
