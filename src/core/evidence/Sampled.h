// A recording's numbers by what they mean, in the units their roles have: whoever recorded them, and in which unit.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "core/base/Result.h"
#include "core/recording/Recording.h"
#include "core/units/Units.h"

namespace brusk::evidence {

/// One channel as it was recorded, read in the unit of its role.
struct RoleColumn {
    const recording::Group* group = nullptr;
    const std::vector<float>* recorded = nullptr;
    units::Shown shown;

    explicit operator bool() const { return recorded != nullptr; }
    size_t size() const { return recorded->size(); }
    double operator[](size_t i) const { return shown(static_cast<double>((*recorded)[i])); }
};

/// How numbers recorded in `unit` become those of the role. A unit that nobody knows, or none, is taken for the role's
/// own; a trim in "factor", "ratio", "x", "1" or "-" is a factor around one. Nothing where the two measure different
/// quantities.
std::optional<units::Shown> intoRole(std::string_view unit, roles::Role role, double stoichiometric = 14.7);

/// Finds channels by role and converts them, here and nowhere else.
class Sampled {
  public:
    /// `stoichiometric`: for lambda that was recorded as an air-fuel ratio.
    explicit Sampled(const recording::Recording& recording, double stoichiometric = 14.7)
        : recording_(recording), stoichiometric_(stoichiometric) {}

    /// NotFound names what was not recorded, Mismatch a unit that can't be turned into the role's.
    [[nodiscard]] Result<RoleColumn> column(roles::Role role) const;
    /// The same, empty where there is nothing to read: for figures that do without.
    RoleColumn columnIfAny(roles::Role role) const;
    /// On another group's clock: the last sample not after each of its times; NaN before the first.
    [[nodiscard]] Result<std::vector<double>> onClock(roles::Role role, const recording::Group& clock) const;

  private:
    const recording::Recording& recording_;
    double stoichiometric_;
};

}  // namespace brusk::evidence
