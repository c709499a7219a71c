// What a channel or a parameter means to an engine, whatever its maker called it: every role that Brusk asks for, with
// its unit, the units of its axes and the words by which strangers call it. A role misspelt in code does not compile.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <concepts>
#include <cstdint>
#include <optional>
#include <span>
#include <string>
#include <string_view>

#include "core/roles/RoleTable.h"

namespace brusk::roles {

/// One of the table, by a literal that the compiler looks up.
class Role {
  public:
    // NOLINTNEXTLINE(google-explicit-constructor): a literal is a role wherever one is asked for
    consteval Role(const char* id) : index_(indexOf(id)) {}
    /// Of a text from a file; nothing for a role that Brusk has no use for.
    static std::optional<Role> named(std::string_view id);

    constexpr const Meaning& meaning() const { return kRoles[index_]; }
    constexpr std::string_view id() const { return meaning().id; }
    constexpr std::string_view title() const { return meaning().title; }
    constexpr std::string_view unit() const { return meaning().unit; }
    constexpr size_t index() const { return index_; }

    friend constexpr bool operator==(Role a, Role b) { return a.index_ == b.index_; }
    /// With a text from a file; a literal is looked up by the compiler instead.
    template <class Text>
    requires std::same_as<Text, std::string> || std::same_as<Text, std::string_view>
    friend constexpr bool operator==(Role a, const Text& id) { return a.id() == id; }

  private:
    struct Index {
        uint16_t value;
    };
    constexpr explicit Role(Index index) : index_(index.value) {}
    static consteval uint16_t indexOf(std::string_view id) {
        for (size_t i = 0; i < kRoles.size(); ++i)
            if (kRoles[i].id == id) return static_cast<uint16_t>(i);
        throw "no such role in the table";  // ends the compilation
    }
    uint16_t index_;
};

constexpr std::span<const Meaning> known() {
    return kRoles;
}
/// Null for a role that Brusk has no use for.
constexpr const Meaning* meaningOf(std::string_view id) {
    for (const Meaning& meaning : kRoles)
        if (meaning.id == id) return &meaning;
    return nullptr;
}

}  // namespace brusk::roles
