// Finds a channel, its unit's way into the role's, and converts it once.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/Sampled.h"

#include <algorithm>
#include <cmath>

#include "core/base/Text.h"
#include "core/recording/Follower.h"

namespace brusk::evidence {

namespace {

bool isTrim(roles::Role role) {
    return role.id().find("_trim") != std::string_view::npos;
}

/// Numbers that all lie around one, and never at nil.
bool aroundOne(std::span<const float> values) {
    constexpr float kLeast = 0.6f, kMost = 1.4f;
    bool any = false;
    for (const float v : values) {
        if (std::isnan(v)) continue;
        if (v < kLeast || v > kMost) return false;
        any = true;
    }
    return any;
}

std::optional<roles::Role> roleOfUnit(std::string_view text) {
    const auto* unit = units::findUnit(text);
    if (!unit) return std::nullopt;
    if (unit->quantity == units::Quantity::EngineSpeed) return roles::Role("engine_speed");
    if (unit->quantity == units::Quantity::Pressure) return roles::Role("manifold_pressure");
    return std::nullopt;
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

AxisInput axisInput(const definition::Definition& definition, const calibration::AxisValues& axis) {
    AxisInput out{axis.input, std::nullopt, axis.unit};
    const auto* measurement = axis.input.empty() ? nullptr : definition.measurement(axis.input);
    out.role = measurement ? roles::Role::named(measurement->role) : roleOfUnit(axis.unit);
    return out;
}

Sampled::Sampled(std::shared_ptr<const recording::Recording> recording, double stoichiometric)
    : recording_(std::move(recording)), stoichiometric_(stoichiometric) {
    clock_ = recording_->findRole("engine_speed").group;
    if (clock_) return;
    for (const auto& group : recording_->groups)
        if (group.timed && (!clock_ || clock_->time_s.size() < group.time_s.size())) clock_ = &group;
}

Column Sampled::converted(const recording::Recording::Place& place, const units::Shown& shown, bool onClock) const {
    const bool moved = onClock && place.group != clock_;
    if (!moved && shown.same()) return place.channel->values.values();
    const std::string key = place.group->name + "\n" + place.channel->name + "\n" + exactNumber(shown.scale) + "\n" +
                            exactNumber(shown.offset) + (moved ? "\nclock" : "");
    const std::scoped_lock lock(mutex_);
    const auto [at, isNew] = made_.try_emplace(key);
    if (!isNew) return at->second;
    ++conversions_[place.channel->name];
    const auto number = [&](float recorded) {
        return shown.same() ? recorded : static_cast<float>(shown(static_cast<double>(recorded)));
    };
    const auto values = place.channel->values.values();
    std::vector<float>& out = at->second;
    if (!moved) {
        out.resize(values.size());
        std::transform(values.begin(), values.end(), out.begin(), number);
        return out;
    }
    out.assign(size(), std::nanf(""));
    recording::Follower follower(place.group->time_s);
    const auto times = clock_->time_s.times();
    for (size_t i = 0; i < out.size(); ++i)
        if (const size_t k = follower.at(times[i]); k != recording::Follower::kNone) out[i] = number(values[k]);
    return out;
}

namespace {

struct Found {
    recording::Recording::Place place;
    units::Shown shown;
};

Result<Found> find(const recording::Recording& recording, roles::Role role, double stoichiometric) {
    const auto place = recording.findRole(role);
    const std::string title(role.title());
    if (!place)
        return fail(ErrorCode::NotFound,
                    "The recording has no " + title + "; " +
                        (role == "lambda_measured" ? "connect the wideband" : "add it to the channel set") +
                        " and drive again.");
    // A trim without a unit tells by its numbers whether it is a factor.
    const std::string& unit = place.channel->unit;
    const bool factor = isTrim(role) && unit.empty() && aroundOne(place.channel->values);
    auto shown = intoRole(factor ? std::string_view("factor") : unit, role, stoichiometric);
    if (!shown)
        return fail(ErrorCode::Mismatch, "The recording has " + title + " in " + unit +
                                             ", which can't be turned into " + std::string(role.unit()) + ".");
    return Found{place, std::move(*shown)};
}

}  // namespace

Result<Column> Sampled::column(roles::Role role) const {
    const auto found = find(*recording_, role, stoichiometric_);
    if (!found) return tl::unexpected(found.error());
    return converted(found->place, found->shown, true);
}

Column Sampled::columnIfAny(roles::Role role) const {
    const auto found = column(role);
    return found ? *found : Column();
}

Result<Series> Sampled::series(roles::Role role) const {
    const auto found = find(*recording_, role, stoichiometric_);
    if (!found) return tl::unexpected(found.error());
    return Series{found->place.group->time_s.times(), converted(found->place, found->shown, false)};
}

namespace {

std::optional<Found> findAlong(const recording::Recording& recording, const AxisInput& axis, double stoichiometric) {
    if (const auto named = axis.name.empty() ? recording::Recording::Place() : recording.find(axis.name)) {
        const std::string& unit = named.channel->unit;
        if (unit == axis.unit || unit.empty() || axis.unit.empty()) return Found{named, {}};
        if (auto shown = units::conversion(unit, axis.unit, stoichiometric)) return Found{named, std::move(*shown)};
        const bool known = units::findUnit(unit) && units::findUnit(axis.unit);
        return known ? std::nullopt : std::optional(Found{named, {}});
    }
    if (!axis.role) return std::nullopt;
    auto found = find(recording, *axis.role, stoichiometric);
    if (!found) return std::nullopt;
    // Out of the recorded unit into the role's, and on into the axis'.
    if (axis.unit.empty() || axis.unit == axis.role->unit()) return *found;
    const auto onwards = units::conversion(axis.role->unit(), axis.unit, stoichiometric);
    if (!onwards) return std::nullopt;
    found->shown.scale *= onwards->scale;
    found->shown.offset = found->shown.offset * onwards->scale + onwards->offset;
    return *found;
}

}  // namespace

Column Sampled::along(const AxisInput& axis) const {
    const auto found = findAlong(*recording_, axis, stoichiometric_);
    return found ? converted(found->place, found->shown, true) : Column();
}

std::optional<double> valueAlong(const recording::Recording& recording, const AxisInput& axis, double time_s,
                                 double stoichiometric) {
    const auto found = findAlong(recording, axis, stoichiometric);
    if (!found || found->place.group->time_s.empty() || time_s < found->place.group->time_s.front())
        return std::nullopt;
    const double recorded = found->place.channel->values.at(recording::indexAt(found->place.group->time_s, time_s));
    return std::isnan(recorded) ? std::nullopt : std::optional(found->shown(recorded));
}

std::map<std::string, size_t> Sampled::conversions() const {
    const std::scoped_lock lock(mutex_);
    return conversions_;
}

}  // namespace brusk::evidence
