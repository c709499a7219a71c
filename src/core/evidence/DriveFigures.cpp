// Each figure is a reduction over the drive's columns.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/DriveFigures.h"

#include <algorithm>
#include <cmath>

#include "core/evidence/Sampled.h"

namespace brusk::evidence {
namespace {

constexpr float kBoosting_kPa = 110, kFullFoot_pct = 90;
constexpr double kHeld_s = 0.5;
constexpr double kSettledIdle_s = 3;
constexpr double kStep_deg = 0.3;

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

void addKnock(const Sampled& r, DriveFigures& out) {
    const Column retard = r.columnIfAny("knock_retard");
    if (retard.empty()) return;
    out.knocks = out.knocks.value_or(0);
    out.greatestRetard_deg = out.greatestRetard_deg.value_or(0);
    double before = 0;
    for (size_t i = 0; i < retard.size(); ++i) {
        const double now = static_cast<double>(retard[i]);
        if (std::isnan(now)) continue;
        if (now - before > kStep_deg) ++*out.knocks;
        out.greatestRetard_deg = std::max(*out.greatestRetard_deg, now);
        before = now;
    }
}

/// Seconds from the foot on the floor until a turbo should hold its boost: three time constants of a usual shaft, which
/// fall with the gas that drives it.
double spoolUp_s(double rpm) {
    constexpr double kUsual_s = 1.2, kAt_rpm = 3000;
    return kUsual_s * std::pow(kAt_rpm / std::clamp(rpm, 1500.0, 7000.0), 1.5);
}

/// From half a second after the boost should be there, whether or not it came near.
void addBoost(const Sampled& r, Sums& sums) {
    const Column target = r.columnIfAny("boost_target_now");
    const Column pressure = r.columnIfAny("manifold_pressure");
    const Column speed = r.columnIfAny("engine_speed");
    const Column pedal = r.columnIfAny("pedal"), throttle = r.columnIfAny("throttle");
    const Column& foot = pedal.empty() ? throttle : pedal;
    if (target.empty() || pressure.empty() || speed.empty() || foot.empty()) return;
    double due_s = -1;
    for (size_t i = 0; i < r.size(); ++i) {
        const double error = static_cast<double>(pressure[i]) - static_cast<double>(target[i]);
        const bool asked = foot[i] > kFullFoot_pct && target[i] > kBoosting_kPa && speed[i] > 1200;
        if (!asked || std::isnan(error)) {
            due_s = -1;
            continue;
        }
        if (due_s < 0) due_s = r.time_s()[i] + spoolUp_s(static_cast<double>(speed[i])) + kHeld_s;
        if (r.time_s()[i] > due_s) sums.boost.add(error);
    }
}

void addIdle(const Sampled& r, Sums& sums) {
    const Column active = r.columnIfAny("idle_active");
    const Column speed = r.columnIfAny("engine_speed");
    const Column target = r.columnIfAny("idle_target");
    const Column road = r.columnIfAny("vehicle_speed");
    if (active.empty() || speed.empty() || target.empty()) return;
    double since_s = -1;
    for (size_t i = 0; i < r.time_s().size(); ++i) {
        const bool standing = road.empty() || road[i] < 1;
        if (!(active[i] > 0) || !standing) {
            since_s = -1;
            continue;
        }
        if (since_s < 0) since_s = r.time_s()[i];
        if (r.time_s()[i] - since_s < kSettledIdle_s) continue;
        const double off = static_cast<double>(speed[i]) - static_cast<double>(target[i]);
        if (std::isnan(off)) continue;
        sums.idleOff.add(off);
    }
}

/// A start that did not come to its end counts as long as it was tried.
void addStart(const Sampled& r, DriveFigures& out) {
    const Column state = r.columnIfAny("engine_state");
    if (state.empty()) return;
    constexpr double kCranking = 1;
    double since_s = -1;
    for (size_t i = 0; i < r.time_s().size(); ++i) {
        if (std::isnan(state[i])) continue;
        if (state[i] == kCranking && since_s < 0) since_s = r.time_s()[i];
        if (since_s >= 0) out.start_s = std::max(out.start_s.value_or(0), r.time_s()[i] - since_s);
        if (state[i] > kCranking) since_s = -1;
    }
}

void addLimp(const Sampled& r, DriveFigures& out) {
    const Column limp = r.columnIfAny("limp_mode");
    if (limp.empty()) return;
    out.limpMode = out.limpMode.value_or(false) || std::any_of(limp.begin(), limp.end(), [](float v) { return v > 0; });
}

}  // namespace

DriveFigures driveFigures(const std::vector<const Sampled*>& drives) {
    DriveFigures out;
    Sums sums;
    for (const auto* r : drives) {
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
