// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/DriveFigures.h"

#include <algorithm>
#include <cmath>

#include "core/evidence/Sampled.h"

namespace brusk::evidence {
namespace {

constexpr double kBoosting_kPa = 110;
constexpr double kNear_kPa = 15;
constexpr double kHeld_s = 0.5;
constexpr double kSettledIdle_s = 3;
constexpr double kStep_deg = 0.3;

/// The values behind a role, in its unit, if they lie in the given group; of the first that is asked for, its group.
RoleColumn columnOf(const recording::Recording& recording, const recording::Group*& group, roles::Role role) {
    auto column = Sampled(recording).columnIfAny(role);
    if (!column || (group && column.group != group)) return {};
    group = column.group;
    return column;
}

/// A running mean and spread.
struct Moments {
    double sum = 0, squares = 0;
    size_t count = 0;
    void add(double v) { sum += v, squares += v * v, ++count; }
    double mean() const { return sum / static_cast<double>(count); }
    double rms() const { return std::sqrt(squares / static_cast<double>(count)); }
    double spread() const { return std::sqrt(std::max(0.0, squares / static_cast<double>(count) - mean() * mean())); }
};

struct Sums {
    Moments boost, idleOff;
};

void addKnock(const recording::Recording& r, DriveFigures& out) {
    const recording::Group* group = nullptr;
    const RoleColumn retard = columnOf(r, group, "knock_retard");
    if (!retard) return;
    out.knocks = out.knocks.value_or(0);
    out.greatestRetard_deg = out.greatestRetard_deg.value_or(0);
    double before = 0;
    for (size_t i = 0; i < retard.size(); ++i) {
        const double now = retard[i];
        if (std::isnan(now)) continue;
        if (now - before > kStep_deg) ++*out.knocks;
        out.greatestRetard_deg = std::max(*out.greatestRetard_deg, now);
        before = now;
    }
}

void addBoost(const recording::Recording& r, Sums& sums) {
    const recording::Group* group = nullptr;
    const RoleColumn target = columnOf(r, group, "boost_target_now");
    const RoleColumn pressure = columnOf(r, group, "manifold_pressure");
    if (!target || !pressure) return;
    double nearSince_s = -1;
    for (size_t i = 0; i < group->time_s.size(); ++i) {
        const double error = pressure[i] - target[i];
        const bool boosting = target[i] > kBoosting_kPa;
        if (!boosting || std::isnan(error)) {
            nearSince_s = -1;
            continue;
        }
        // Once reached, it counts until the foot lifts, however far it strays.
        if (nearSince_s < 0 && std::abs(error) < kNear_kPa) nearSince_s = group->time_s[i];
        if (nearSince_s >= 0 && group->time_s[i] - nearSince_s > kHeld_s) sums.boost.add(error);
    }
}

void addIdle(const recording::Recording& r, Sums& sums) {
    const recording::Group* group = nullptr;
    const RoleColumn active = columnOf(r, group, "idle_active");
    const RoleColumn speed = columnOf(r, group, "engine_speed");
    const RoleColumn target = columnOf(r, group, "idle_target");
    const RoleColumn road = columnOf(r, group, "vehicle_speed");
    if (!active || !speed || !target) return;
    double since_s = -1;
    for (size_t i = 0; i < group->time_s.size(); ++i) {
        const bool standing = !road || road[i] < 1;
        if (!(active[i] > 0) || !standing) {
            since_s = -1;
            continue;
        }
        if (since_s < 0) since_s = group->time_s[i];
        if (group->time_s[i] - since_s < kSettledIdle_s) continue;
        const double off = speed[i] - target[i];
        if (std::isnan(off)) continue;
        sums.idleOff.add(off);
    }
}

/// A start that did not come to its end counts as long as it was tried.
void addStart(const recording::Recording& r, DriveFigures& out) {
    const recording::Group* group = nullptr;
    const RoleColumn state = columnOf(r, group, "engine_state");
    if (!state) return;
    constexpr double kCranking = 1;
    double since_s = -1;
    for (size_t i = 0; i < group->time_s.size(); ++i) {
        if (std::isnan(state[i])) continue;
        if (state[i] == kCranking && since_s < 0) since_s = group->time_s[i];
        if (since_s >= 0) out.start_s = std::max(out.start_s.value_or(0), group->time_s[i] - since_s);
        if (state[i] > kCranking) since_s = -1;
    }
}

void addLimp(const recording::Recording& r, DriveFigures& out) {
    const recording::Group* group = nullptr;
    const RoleColumn limp = columnOf(r, group, "limp_mode");
    if (!limp) return;
    out.limpMode = out.limpMode.value_or(false) ||
                   std::any_of(limp.recorded->begin(), limp.recorded->end(), [](float v) { return v > 0; });
}

}  // namespace

DriveFigures driveFigures(const std::vector<const recording::Recording*>& recordings) {
    DriveFigures out;
    Sums sums;
    for (const auto* r : recordings) {
        addKnock(*r, out);
        addBoost(*r, sums);
        addIdle(*r, sums);
        addStart(*r, out);
        addLimp(*r, out);
    }
    if (sums.boost.count) out.boostError_kPa = sums.boost.rms();
    if (sums.idleOff.count) {
        // The target moves with the coolant: the spread is that of what lies between.
        out.idleSpread_rpm = sums.idleOff.spread();
        out.idleOff_rpm = sums.idleOff.mean();
    }
    return out;
}

}  // namespace brusk::evidence
