// Offers for each missing role the parameters most like it.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/definition/Roles.h"

#include <algorithm>

#include "core/roles/Likeness.h"

namespace brusk::definition {
namespace {

void consider(const roles::Meaning& role, const roles::Named& thing, uint32_t index, double unitFit,
              std::vector<RoleGuess>& out) {
    if (auto like = roles::likeness(role, thing, unitFit)) out.push_back({index, like->score, std::move(like->reason)});
}

bool played(const Definition& d, const roles::Meaning& meaning) {
    const auto role = *roles::Role::named(meaning.id);
    return meaning.measured() ? d.measurementWithRole(role) != nullptr : d.parameterWithRole(role) != nullptr;
}

}  // namespace

roles::Shape shapeOf(const Parameter& p) {
    switch (p.kind) {
        case Parameter::Kind::Value:
            return roles::Shape::Value;
        case Parameter::Kind::Curve:
            return roles::Shape::Curve;
        case Parameter::Kind::Map:
            return roles::Shape::Map;
        default:
            return roles::Shape::Block;
    }
}

std::vector<RoleGuess> guessRole(const Definition& d, const roles::Meaning& role, size_t most) {
    std::vector<RoleGuess> out;
    if (role.measured()) {
        for (uint32_t i = 0; i < d.measurements.size(); ++i) {
            const Measurement& m = d.measurements[i];
            if (!m.role.empty() || m.elements != 1) continue;
            consider(role, {m.name, m.label, m.description, d.unitOf(m)}, i, roles::unitFits(d.unitOf(m), role.unit),
                     out);
        }
    } else {
        for (uint32_t i = 0; i < d.parameters.size(); ++i) {
            const Parameter& p = d.parameters[i];
            if (!p.role.empty() || shapeOf(p) != role.shape) continue;
            double fit = roles::unitFits(d.unitOf(p), role.unit);
            // Whichever of the two runs across.
            const auto axes = [&](size_t first, size_t second) {
                double both = 1;
                for (const auto& [axis, unit] : {std::pair{first, role.x}, {second, role.y}})
                    if (!unit.empty()) both = std::min(both, roles::unitFits(d.axisUnitOf(p, axis), unit));
                return both;
            };
            if (fit > 0) fit = std::min(fit, std::max(axes(0, 1), p.axes.size() == 2 ? axes(1, 0) : 0));
            consider(role, {p.name, p.label, p.description, d.unitOf(p)}, i, fit, out);
        }
    }
    std::stable_sort(out.begin(), out.end(), [](const auto& a, const auto& b) { return a.score > b.score; });
    if (out.size() > most) out.resize(most);
    return out;
}

std::vector<MissingRole> missingRoles(const Definition& d, size_t most) {
    std::vector<MissingRole> out;
    for (const roles::Meaning& role : roles::known()) {
        if (played(d, role)) continue;
        if (auto guesses = guessRole(d, role, most); !guesses.empty()) out.push_back({&role, std::move(guesses)});
    }
    return out;
}

}  // namespace brusk::definition
