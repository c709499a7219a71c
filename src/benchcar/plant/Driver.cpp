// Routes as stretches with a wish for each, driven by a pedal, a clutch and a gear lever.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "benchcar/plant/Driver.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace brusk::benchcar {

namespace {
constexpr double kClutch_s = 0.6;        // from open to closed
constexpr double kPressPerTick = 0.012;  // a quick foot: full travel in 0.8 s
constexpr double kLiftPerTick = 0.03;
constexpr double kStampPerTick = 0.05;   // where a leg asks for a pedal position
constexpr double kSteepest = 0.9;        // what the dynamometer can brake, as a slope
constexpr double kSteepestDown = -0.25;  // and push
}  // namespace

double Route::seconds() const {
    double total = 0;
    for (const Leg& leg : legs)
        total += leg.seconds;
    return total;
}

double roadSpeed_kmh(const Build& build, double rpm, int gear) {
    const double ratio = build.chassis.gears[static_cast<size_t>(gear)] * build.chassis.final;
    return rpm / 60 * 2 * std::numbers::pi / ratio * build.parts.tyreRadius_m * 3.6;
}

void Driver::begin(const Route& route) {
    route_ = route;
    active_ = !route.legs.empty();
    time_s_ = legTime_s_ = integral_ = brake_ = 0;
    leg_ = 0;
    began_ = false;
}

void Driver::begin(TrueState& s, const Leg& leg) {
    began_ = true;
    s.lamps = leg.lamps;
    s.covered = leg.covered;
    if (!leg.refuel) return;
    ++s.refuels;
    s.refuelled_l += std::round((s.fuelUsed_l - filledAt_l_) * 100) / 100;  // a filling station tells hundredths
    filledAt_l_ = s.fuelUsed_l;
}

void Driver::step(TrueState& s) {
    if (!active_) {
        s.pedal = 0;
        s.gear = 0;
        s.clutch = 0;
        s.airConditioning = s.brake = s.rolls = s.lamps = s.covered = false;
        s.starter = s.ignition && s.speed_rpm < 600;
        return;
    }
    const Leg& leg = route_.legs[leg_];
    if (!began_) begin(s, leg);
    // A stalled engine is started again, clutch pressed; a driver keeps the key turned until it runs.
    s.starter = s.speed_rpm < (s.starter ? 600 : 350);
    time_s_ += kStep_s;
    legTime_s_ += kStep_s;
    if (leg.pressure_kPa < 0 && !leg.dyno)
        s.grade = leg.gradeFrom + (leg.gradeTo - leg.gradeFrom) * std::min(1.0, legTime_s_ / leg.seconds) +
                  build_.drawn.grade[(leg.stretch >= 0 ? static_cast<size_t>(leg.stretch) : leg_) % Drawn::kStretches];
    if (s.gear != leg.gear) {
        s.gear = leg.gear;
        s.clutch = 0;
    }
    s.clutch = leg.gear == 0 || s.starter ? 0 : std::min(1.0, s.clutch + kStep_s / kClutch_s);
    s.rolls = leg.rolls;
    s.brake = leg.gear == 0 && !leg.rolls;
    s.airConditioning = leg.airConditioning;
    if (s.tick % 10 == 0) press(s, leg);
    if (legTime_s_ >= leg.seconds) {
        legTime_s_ = 0;
        began_ = false;
        if (++leg_ >= route_.legs.size()) active_ = false;
    }
}

/// A driver corrects the pedal by the speed that is missing, and more the longer it is missing.
void Driver::press(TrueState& s, const Leg& leg) {
    const double missing = leg.speed_kmh - s.vehicle_kmh;
    if (leg.gear == 0 && leg.revs_rpm < 0) integral_ = 0;
    double wanted = 0;
    double quickest = kPressPerTick;
    if (leg.revs_rpm >= 0) {
        const double slow = leg.revs_rpm - s.speed_rpm;
        integral_ = std::clamp(integral_ + slow * 3e-6, 0.0, 0.4);
        wanted = std::clamp(slow * 5e-5 + integral_, 0.0, 0.5);
    } else if (leg.pedal >= 0) {
        if (leg.dyno) brakeDynamometer(s, leg);
        wanted = leg.pedal;
        quickest = kStampPerTick;
    } else if (leg.pressure_kPa >= 0) {
        brakeDynamometer(s, leg);
        const double short_kPa = leg.pressure_kPa - s.pressure_kPa;
        integral_ = std::clamp(integral_ + short_kPa * 0.00010, -0.05, 1.0);
        wanted = std::clamp(0.0030 * short_kPa + integral_, 0.0, 1.0);
    } else if (leg.gear > 0) {
        // Nobody presses further and further while the pedal is on the floor already.
        const double now = 0.028 * missing + integral_;
        const bool floored = (now > 0.95 && missing > 0) || (now < 0 && missing < 0);
        if (!floored) integral_ = std::clamp(integral_ + missing * 0.010 * 0.025, -0.1, 0.9);
        wanted = std::clamp(now, 0.0, 0.95);
    }
    if (s.clutch < 0.5) wanted = leg.gear == 0 ? wanted : std::min(wanted, 0.25);
    s.pedal += std::clamp(wanted - s.pedal, -kLiftPerTick, quickest);
}

void Driver::brakeDynamometer(TrueState& s, const Leg& leg) {
    const double over = s.vehicle_kmh - leg.speed_kmh;
    brake_ = std::clamp(brake_ + over * 0.0004, kSteepestDown, kSteepest);
    s.grade = std::clamp(brake_ + over * 0.03, kSteepestDown, kSteepest);
}

}  // namespace brusk::benchcar
