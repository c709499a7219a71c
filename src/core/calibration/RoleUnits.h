// Rules compute in the units of the roles (cm3/min, kPa, degrees Celsius); definitions tell theirs: one becomes the
// other.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/calibration/Calibration.h"

namespace brusk::calibration {

/// From a parameter's own units to those of its role: values and both axes.
struct RoleUnits {
    units::Shown value, x, y;
    bool exchanged = false;  ///< what runs across the role's map runs down the parameter's
    std::string remark;      ///< a sentence where a unit is not known and was taken for granted

    /// Values and breakpoints in the role's units and the role's order of axes; limits and what is stored stay as they
    /// are.
    Table in(Table table) const;
    /// Which of the parameter's own cells is cell `i` of the role's table, which has so many rows and columns.
    size_t ownCell(size_t i, size_t rows, size_t columns) const {
        return exchanged ? i % columns * rows + i / columns : i;
    }
    /// Which of the parameter's own axes is axis 0 or 1 of the role.
    size_t ownAxis(size_t axis) const { return exchanged ? 1 - axis : axis; }
};

using units::kPetrol_gcm3;

/// Density of petrol with a share of ethanol by volume.
double blend_gcm3(double ethanol);

/// What some units need to know of the fuel.
struct FuelOf {
    double density_gcm3 = kPetrol_gcm3;
    std::optional<double> stoichiometric;  ///< of air-fuel ratios; else what the calibration itself says
};

/// The units of a parameter that plays a role. Injectors that are told by mass become volume by the density of the
/// fuel; air-fuel ratios become lambda by the stoichiometric ratio. Fails where the parameter measures another quantity
/// than the role: its numbers would mean something else.
[[nodiscard]] Result<RoleUnits> roleUnits(const Calibration& calibration, const definition::Parameter& parameter,
                                          const FuelOf& fuel = {});

/// The table of whoever plays a role, in the role's units; an error where nobody does or it can't be read.
[[nodiscard]] Result<Table> readRole(const Calibration& calibration, roles::Role role, const FuelOf& fuel = {});

}  // namespace brusk::calibration
