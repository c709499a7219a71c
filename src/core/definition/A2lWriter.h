// Definitions as A2L text: whole, object by object, and as changes of a text that leave the rest of it byte for byte.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/definition/A2lReader.h"

namespace brusk::definition {

/// A definition from its model alone: everything Brusk understands of it, in the standard's order. Reading it again
/// gives an equal model.
[[nodiscard]] Result<std::string> writeA2l(const Definition& definition);

/// Whether the objects of two definitions are equal, one by one; the first that is not, a sentence; empty when all are.
std::string firstDifference(const Definition& a, const Definition& b);

// Each of these gives the whole new text; what it does not touch stays byte for byte. Names must be there; errors say
// what is wrong. The definition must have been read from a text.

[[nodiscard]] Result<std::string> withName(const Definition& definition, const std::string& name,
                                           const std::string& newName);
[[nodiscard]] Result<std::string> withDescription(const Definition& definition, const std::string& name,
                                                  const std::string& description);
/// The name a tuner reads (DISPLAY_IDENTIFIER); blanks become underscores as the standard asks.
[[nodiscard]] Result<std::string> withLabel(const Definition& definition, const std::string& name,
                                            const std::string& label);
[[nodiscard]] Result<std::string> withAddress(const Definition& definition, const std::string& name, uint32_t address);
/// An empty role takes it away.
[[nodiscard]] Result<std::string> withRole(const Definition& definition, const std::string& name,
                                           const std::string& role);
/// Roles of several objects at once: names and roles.
[[nodiscard]] Result<std::string> withRoles(const Definition& definition,
                                            const std::vector<std::pair<std::string, std::string>>& roles);
/// Takes it out of the groups it is in and puts it into this one, which is made when there is none of that name.
[[nodiscard]] Result<std::string> withGroup(const Definition& definition, const std::string& name,
                                            const std::string& group);
[[nodiscard]] Result<std::string> without(const Definition& definition, const std::string& name);

/// What to change of one object; what is not given stays.
struct ObjectChanges {
    std::optional<std::string> description, label, role, group, newName;
    std::optional<uint32_t> address;
};
/// All of them, one after another. What is equal already is no change; `made` counts those that were.
[[nodiscard]] Result<std::string> withChanges(const Definition& definition, const std::string& name,
                                              const ObjectChanges& changes, int* made = nullptr);

/// Adds every parameter and measurement of `more` that `definition` lacks, with the conversions, layouts and groups
/// they need; conversions and layouts of a name that stands for something else get a name of their own.
[[nodiscard]] Result<std::string> withAdded(const Definition& definition, const Definition& more,
                                            const std::string& group);

/// A small definition of one parameter and all it needs (axes, conversions, layouts, inputs), for withAdded().
[[nodiscard]] Result<Definition> extract(const Definition& definition, const std::string& name);

/// Whether a text may be the name of an object: letters, digits, underscores, dots and brackets, no digit first.
bool isIdentifier(std::string_view name);

}  // namespace brusk::definition
