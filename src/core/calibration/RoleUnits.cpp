// Turns a table into its role's units and order of axes, and an edit back.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/calibration/RoleUnits.h"

#include <algorithm>

#include "core/roles/Likeness.h"

namespace brusk::calibration {

namespace {

/// What rules expect of the second axis where a role itself leaves it open.
std::string_view secondAxis(roles::Role role) {
    struct Open {
        roles::Role role;
        std::string_view unit;
    };
    constexpr Open kOpen[] = {{"lambda_map", "kPa"},
                              {"spark_map", "mg"},
                              {"spark_octane", "mg"},
                              {"boost_target", "%"},
                              {"wastegate_duty", "kPa"}};
    for (const auto& open : kOpen)
        if (role == open.role) return open.unit;
    return role.meaning().y;
}

double stoichiometricOf(const Calibration& calibration) {
    const auto* ratio = calibration.definition().parameterWithRole("stoichiometric_ratio");
    const auto value = ratio ? calibration.value(ratio->name) : fail(ErrorCode::NotFound, "");
    return value && *value > 5 && *value < 20 ? *value : units::kPetrolRatio;
}

/// How one unit becomes another; an error where it measures another quantity. `unknown` is set where nobody knows it.
Result<units::Shown> between(std::string_view from, std::string_view to, double density_gcm3, double stoichiometric,
                             bool& unknown) {
    units::Shown same{std::string(to)};
    if (to.empty() || from == to) return same;
    if (const auto known = units::conversion(from, to, stoichiometric)) return *known;
    const auto *have = units::findUnit(from), *want = units::findUnit(to);
    if (!have || !want) {
        unknown = true;
        return same;
    }
    if (have->quantity == units::Quantity::FuelFlow && want->quantity == units::Quantity::VolumeFlow) {
        auto byMass = units::conversion(from, "g/min").value_or(same);
        byMass.unit = to;
        byMass.scale /= density_gcm3;
        return byMass;
    }
    return fail(ErrorCode::BadInput, "it is told in " + std::string(from) + ", and that is no " +
                                         std::string(units::quantityName(want->quantity)) + ".");
}

void convertAll(std::vector<double>& values, const units::Shown& by) {
    if (by.same()) return;
    for (double& v : values)
        v = by(v);
}

}  // namespace

double blend_gcm3(double ethanol) {
    constexpr double kEthanol_gcm3 = 0.789;
    return kPetrol_gcm3 * (1 - ethanol) + kEthanol_gcm3 * ethanol;
}

Table RoleUnits::in(Table table) const {
    if (exchanged) {
        const Table own = table;
        std::swap(table.x, table.y);
        std::swap(table.rows, table.columns);
        for (size_t i = 0; i < own.values.size(); ++i) {
            table.values[i] = own.values[ownCell(i, table.rows, table.columns)];
            if (own.raw.size() == own.values.size()) table.raw[i] = own.raw[ownCell(i, table.rows, table.columns)];
        }
    }
    convertAll(table.values, value);
    convertAll(table.x.values, x);
    convertAll(table.y.values, y);
    if (!value.unit.empty()) table.unit = value.unit;
    if (!x.unit.empty()) table.x.unit = x.unit;
    if (!y.unit.empty()) table.y.unit = y.unit;
    return table;
}

Result<RoleUnits> roleUnits(const Calibration& calibration, const definition::Parameter& parameter,
                            const FuelOf& fuel) {
    RoleUnits out;
    const auto role = roles::Role::named(parameter.role);
    if (!role) return out;
    const auto& d = calibration.definition();
    const double stoichiometric = fuel.stoichiometric.value_or(stoichiometricOf(calibration));
    const std::string_view across = role->meaning().x, down = secondAxis(*role);
    const auto fit = [&](size_t first, size_t second) {
        return std::min(roles::unitFits(d.axisUnitOf(parameter, first), across),
                        roles::unitFits(d.axisUnitOf(parameter, second), down));
    };
    out.exchanged = role->meaning().shape == roles::Shape::Map && parameter.axes.size() == 2 && !across.empty() &&
                    !down.empty() && fit(0, 1) < fit(1, 0) && fit(1, 0) >= 1;
    struct One {
        std::string_view from, to;
        const char* what;
        units::Shown& into;
    };
    for (const One& one : {One{d.unitOf(parameter), role->unit(), "", out.value},
                           One{d.axisUnitOf(parameter, out.ownAxis(0)), across, " along its first axis", out.x},
                           One{d.axisUnitOf(parameter, out.ownAxis(1)), down, " along its second axis", out.y}}) {
        bool unknown = false;
        const auto how = between(one.from, one.to, fuel.density_gcm3, stoichiometric, unknown);
        if (!how) return fail(ErrorCode::BadInput, parameter.title() + one.what + ": " + how.error().message);
        one.into = *how;
        // Where a definition tells nothing at all there is nothing to doubt.
        if (unknown && !one.from.empty())
            out.remark += " " + parameter.title() + one.what + " is told in \"" + std::string(one.from) +
                          "\", which is taken for " + std::string(one.to) + ".";
    }
    return out;
}

Result<Table> readRole(const Calibration& calibration, roles::Role role, const FuelOf& fuel) {
    const auto* parameter = calibration.definition().parameterWithRole(role);
    if (!parameter) return fail(ErrorCode::NotFound, "Nobody plays the role \"" + std::string(role.id()) + "\".");
    const auto units = roleUnits(calibration, *parameter, fuel);
    if (!units) return tl::unexpected(units.error());
    auto table = calibration.read(*parameter);
    if (!table) return table;
    return units->in(std::move(*table));
}

}  // namespace brusk::calibration
