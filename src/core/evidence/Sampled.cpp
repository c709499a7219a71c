// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/Sampled.h"

#include <algorithm>
#include <cmath>

#include "core/recording/Expression.h"

namespace brusk::evidence {

namespace {

bool isTrim(roles::Role role) {
    return role.id().find("_trim") != std::string_view::npos;
}

/// Numbers that all lie around one, and never at nil.
bool aroundOne(const std::vector<float>& values) {
    constexpr float kLeast = 0.6f, kMost = 1.4f;
    bool any = false;
    for (const float v : values) {
        if (std::isnan(v)) continue;
        if (v < kLeast || v > kMost) return false;
        any = true;
    }
    return any;
}

}  // namespace

std::optional<units::Shown> intoRole(std::string_view unit, roles::Role role, double stoichiometric) {
    const std::string_view wanted = role.unit();
    const units::Shown asItIs{std::string(wanted)};
    constexpr std::string_view kFactors[] = {"factor", "ratio", "x", "1", "-"};
    if (isTrim(role) && std::find(std::begin(kFactors), std::end(kFactors), unit) != std::end(kFactors))
        return units::Shown{std::string(wanted), 100, -100};
    if (wanted.empty() || unit.empty() || unit == wanted) return asItIs;
    if (auto shown = units::conversion(unit, wanted, stoichiometric)) return shown;
    const auto *have = units::findUnit(unit), *want = units::findUnit(wanted);
    return have && want ? std::nullopt : std::optional(asItIs);
}

Result<RoleColumn> Sampled::column(roles::Role role) const {
    const auto place = recording_.findRole(role);
    const std::string title(role.title());
    if (!place)
        return fail(ErrorCode::NotFound,
                    "The recording has no " + title + "; " +
                        (role == "lambda_measured" ? "connect the wideband" : "add it to the channel set") +
                        " and drive again.");
    // A trim without a unit tells by its numbers whether it is a factor.
    const std::string& unit = place.channel->unit;
    const bool factor = isTrim(role) && unit.empty() && aroundOne(place.channel->values);
    auto shown = intoRole(factor ? std::string_view("factor") : unit, role, stoichiometric_);
    if (!shown)
        return fail(ErrorCode::Mismatch, "The recording has " + title + " in " + unit +
                                             ", which can't be turned into " + std::string(role.unit()) + ".");
    return RoleColumn{place.group, &place.channel->values, std::move(*shown)};
}

RoleColumn Sampled::columnIfAny(roles::Role role) const {
    auto found = column(role);
    return found ? std::move(*found) : RoleColumn{};
}

Result<std::vector<double>> Sampled::onClock(roles::Role role, const recording::Group& clock) const {
    const auto found = column(role);
    if (!found) return tl::unexpected(found.error());
    auto out = recording::onClock(recording_.findRole(role), clock);
    if (!found->shown.same())
        for (double& value : out)
            value = found->shown(value);
    return out;
}

}  // namespace brusk::evidence
