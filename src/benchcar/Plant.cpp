// SPDX-License-Identifier: GPL-3.0-or-later
#include "benchcar/Plant.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace brusk::benchcar {

namespace {

constexpr double kStep_s = 0.001;
constexpr double kStarter_rpm = 260;

// Vehicle: a compact hatchback.
constexpr double kMass_kg = 1340;        // with driver and half a tank
constexpr double kDragArea_m2 = 0.66;    // cd 0.31, 2.13 m2
constexpr double kRolling = 0.012;       // road tyres on asphalt
constexpr double kTyreRadius_m = 0.317;  // 225/40 R18
constexpr double kFinal = 4.06;
constexpr double kDriveline = 0.93;  // efficiency of gearbox and final drive
constexpr double kGears[] = {0, 3.58, 2.05, 1.37, 1.03, 0.84, 0.69};

// Lean limit and rich limit of torque: indicated torque falls to both sides of lambda 0.93 (Heywood, section 15.4).
double lambdaEfficiency(double lambda) {
    if (lambda < 1)
        return std::max(0.3, 1 - 1.4 * (0.93 - std::min(lambda, 0.93)) * (0.93 - std::min(lambda, 0.93)) * 4);
    return std::max(0.0, 1 - 1.1 * (lambda - 1));
}

/// Compressible flow through an orifice over its choked value (Guzzella & Onder eq. 2.10), linear near equal pressures.
double flowFunction(double ratio) {
    constexpr double kLinearFrom = 0.92;
    if (ratio < 0.528) return 1;
    if (ratio > kLinearFrom) return flowFunction(kLinearFrom) * (1 - ratio) / (1 - kLinearFrom);
    return std::sqrt(std::max(0.0, (std::pow(ratio, 1.4286) - std::pow(ratio, 1.7143)) / 0.06702));
}

}  // namespace

double Route::seconds() const {
    double total = 0;
    for (const Leg& leg : legs)
        total += leg.seconds;
    return total;
}

Plant::Plant(const Parts& parts, uint64_t seed) : parts_(parts), noise_(seed) {
    lambdaHistory_.fill(1.0f);
    stoich_ = truth::blendStoich(parts.ethanol);
    fuelQ_ = parts.injectors.flow_cm3min * truth::blendDensity(parts.ethanol) / 60e6;
}

void Plant::setRoute(const Route& route) {
    route_ = &route;
    routeTime_s_ = legTime_s_ = 0;
    leg_ = 0;
    ignition_ = true;
}

void Plant::step(const ActuatorCommands& commands) {
    drive();
    const double wanted = std::clamp(commands.throttle_c / 10000.0, 0.0, 1.0);
    s_.throttle += (wanted - s_.throttle) * kStep_s / 0.04;  // electric throttle, 40 ms
    breathe(commands);
    burn(commands);
    exhaust();
    move();
    if (tick_ % 50 == 0) warm(commands);
    ++tick_;
}

void Plant::drive() {
    if (!route_) {
        s_.pedal = 0;
        s_.gear = 0;
        clutch_ = 0;
        starter_ = ignition_ && s_.speed_rpm < 600;
        return;
    }
    const Leg& leg = route_->legs[leg_];
    // A stalled engine is started again, clutch pressed.
    starter_ = s_.speed_rpm < (starter_ ? 600 : 350);
    routeTime_s_ += kStep_s;
    legTime_s_ += kStep_s;
    grade_ = leg.gradeFrom + (leg.gradeTo - leg.gradeFrom) * std::min(1.0, legTime_s_ / leg.seconds);
    if (s_.gear != leg.gear) {
        s_.gear = leg.gear;
        clutch_ = 0;
    }
    clutch_ = leg.gear == 0 || starter_ ? 0 : std::min(1.0, clutch_ + kStep_s / 0.6);
    if (tick_ % 10 == 0) {
        // A driver: corrects the pedal by the speed that is missing, and more the longer it is missing.
        const double missing = leg.speed_kmh - s_.vehicle_kmh;
        const bool standing = leg.gear == 0;
        if (standing) pedalIntegral_ = 0;
        pedalIntegral_ = std::clamp(pedalIntegral_ + missing * 0.010 * 0.025, -0.1, 0.9);
        double wanted = leg.pedal >= 0 ? leg.pedal
                        : standing     ? 0
                                       : std::clamp(0.045 * missing + pedalIntegral_, 0.0, 0.95);
        if (clutch_ < 0.5) wanted = std::min(wanted, 0.25);
        s_.pedal += std::clamp(wanted - s_.pedal, -0.03, 0.012);
    }
    if (legTime_s_ >= leg.seconds) {
        legTime_s_ = 0;
        if (++leg_ >= route_->legs.size()) route_ = nullptr;
    }
}

void Plant::breathe(const ActuatorCommands& commands) {
    using namespace truth;
    // Turbocharger as a first-order lag towards what the turbine can give at this airflow, held by the wastegate at
    // spring pressure (45 kPa) plus what duty adds.
    const double able = 95 * std::pow(s_.airflow_gs / 62, 1.6);
    const double held = 45 + commands.wastegate_h * 0.5 * 0.9;
    const double target = kAmbient_kPa + std::min(able, held);
    s_.boost_kPa += (target - s_.boost_kPa) * kStep_s / (target > s_.boost_kPa ? 0.55 : 0.25);
    const double p = s_.pressure_kPa;
    const double angle = (0.012 + 0.988 * s_.throttle) * std::numbers::pi / 2;
    const double area =
        std::numbers::pi / 4 * kThrottleBore_m * kThrottleBore_m * (1 - std::cos(angle)) * 0.86 + 1.4e-6;
    const double upstream_K = s_.intake_C + 273.15;
    const double choked = 0.6847 * area * s_.boost_kPa * 1000 / std::sqrt(kGasConstant * upstream_K);
    const double in_kgs = p < s_.boost_kPa ? choked * flowFunction(p / s_.boost_kPa) : 0;

    const double blend = chargeBlend(s_.airflow_gs * 3.6);
    chargeTemp_K_ = 273.15 + s_.intake_C + (s_.coolant_C - s_.intake_C) * blend;
    if (tick_ % 2 == 0) ve_ = volumetricEfficiency(std::max(s_.speed_rpm, 150.0), p, parts_.wildCams);
    const double swept_m3s = kDisplacement_m3 * s_.speed_rpm / 120;
    const double out_kgs = ve_ * p * 1000 * swept_m3s / (kGasConstant * chargeTemp_K_);
    // dp/dt = R T / V (in - out), the outflow taken at the new pressure so that a full throttle stays stable.
    const double gain = kGasConstant * chargeTemp_K_ / kManifold_m3 / 1000;
    const double rate = gain * out_kgs / std::max(p, 5.0);
    s_.pressure_kPa = (p + kStep_s * gain * in_kgs) / (1 + kStep_s * rate);
    s_.pressure_kPa = std::clamp(s_.pressure_kPa, 8.0, std::max(s_.boost_kPa, 8.0));
    s_.airflow_gs = out_kgs * 1000;
    s_.airPerStroke_g = s_.speed_rpm > 60 ? ve_ * s_.pressure_kPa * 1000 * kDisplacement_m3 / kCylinders /
                                                (kGasConstant * chargeTemp_K_) * 1000
                                          : 0;
}

void Plant::burn(const ActuatorCommands& commands) {
    using namespace truth;
    const double dead_us = parts_.injectors.deadAt14_us + (14 - s_.battery_V) * parts_.injectors.deadSlope_us;
    const double open_us = commands.pulse_us > 0 ? std::max(0.0, commands.pulse_us - dead_us) : 0;
    s_.fuelPerStroke_g = open_us * fuelQ_;
    s_.lambda =
        s_.fuelPerStroke_g > 1e-6 ? std::clamp(s_.airPerStroke_g / (stoich_ * s_.fuelPerStroke_g), 0.3, 8.0) : 8.0;

    const double burnt_g = std::min(s_.fuelPerStroke_g, s_.airPerStroke_g / stoich_);
    const bool ignites = s_.lambda > 0.52 && s_.lambda < 1.75 && ignition_;
    const double load = s_.airPerStroke_g * 1000;
    const double best = std::clamp(16 + s_.speed_rpm * 0.0045 - std::max(0.0, load - 140) * 0.028, 2.0, 44.0);
    const double off = best - commands.spark_d / 10.0;
    const double sparkEfficiency = std::max(0.2, 1 - 0.00042 * off * off);
    const double work_J = ignites ? burnt_g / 1000 * kHeatingValue_Jkg * kIndicatedEfficiency *
                                        lambdaEfficiency(s_.lambda) * sparkEfficiency
                                  : 0;
    const double indicated = work_J * kCylinders / (4 * std::numbers::pi);
    // Friction mean effective pressure (Heywood eq. 13.6a scaled to a modern engine) and pumping.
    const double speed = s_.speed_rpm / 1000;
    const double fmep_kPa = 104 + 12 * speed + 3.2 * speed * speed + std::max(0.0, 70 - s_.coolant_C) * 1.1;
    const double pumping_kPa = std::max(0.0, 104 - s_.pressure_kPa);
    const double lost = (fmep_kPa + pumping_kPa) * 1000 * kDisplacement_m3 / (4 * std::numbers::pi);
    s_.torque_Nm = indicated - (s_.speed_rpm > 5 ? lost : 0);
}

void Plant::exhaust() {
    using namespace truth;
    const size_t now = static_cast<size_t>(tick_) % kHistory;
    lambdaHistory_[now] = static_cast<float>(s_.lambda);
    s_.delay_s = std::min(1.6, kDelayConstant_s + kDelayMass_g / std::max(s_.airflow_gs * 1.07, 0.5));
    const auto past = [&](double delay_s) {
        const auto back = static_cast<size_t>(delay_s / kStep_s);
        return static_cast<double>(lambdaHistory_[(now + kHistory - std::min(back, kHistory - 1)) % kHistory]);
    };
    s_.lambdaAtSensor = past(s_.delay_s);
    // Both sensors mix what reaches them as 1/lambda, the fuel's share.
    lambdaLag_ += (1 / s_.lambdaAtSensor - lambdaLag_) * kStep_s / kWidebandLag_s;
    narrow_ += (1 / past(s_.delay_s * 0.75) - narrow_) * kStep_s / 0.03;
    if (tick_ % 10 == 0)
        s_.wideband = std::clamp((1 / std::max(lambdaLag_, 0.1)) * (1 + 0.004 * noise_.normal()), 0.6, 4.0);
}

void Plant::move() {
    using namespace truth;
    double clutchTorque = 0;
    const double ratio = kGears[std::clamp(s_.gear, 0, 6)] * kFinal;
    if (s_.gear > 0) {
        const double wheelSide = vehicle_ms_ / kTyreRadius_m * ratio;
        // A driver slips the clutch rather than stall the engine.
        const double most = 320 * clutch_ * std::clamp((s_.speed_rpm - 650) / 500, 0.0, 1.0);
        clutchTorque = std::clamp((omega_ - wheelSide) * 22.0, -most, most);
    }
    const double starter = starter_ && ignition_ ? std::clamp((kStarter_rpm - s_.speed_rpm) * 1.2 + 40, 0.0, 110.0) : 0;
    omega_ = std::max(0.0, omega_ + kStep_s * (s_.torque_Nm + starter - clutchTorque) / kInertia_kgm2);
    if (!ignition_ && omega_ < 3) omega_ = 0;
    const double traction = clutchTorque * ratio / kTyreRadius_m * (clutchTorque > 0 ? kDriveline : 1 / kDriveline);
    const double weight = kMass_kg * 9.81;
    const double resisting = 0.5 * 1.2 * kDragArea_m2 * vehicle_ms_ * vehicle_ms_ +
                             (vehicle_ms_ > 0.05 ? kRolling * weight : 0) + (s_.gear > 0 ? grade_ * weight : 0);
    const double brakes = s_.gear == 0 ? 2.5 * kMass_kg : 0;
    vehicle_ms_ = std::max(0.0, vehicle_ms_ + kStep_s * (traction - resisting - brakes) / (kMass_kg * 1.06));
    s_.speed_rpm = omega_ * 60 / (2 * std::numbers::pi);
    s_.vehicle_kmh = vehicle_ms_ * 3.6;
}

void Plant::warm(const ActuatorCommands& commands) {
    constexpr double kInterval_s = 0.05;
    // A third of the fuel's heat goes into the coolant; thermostat opens over 86 to 94 degC.
    const double fuel_kgs = s_.fuelPerStroke_g * truth::kCylinders * s_.speed_rpm / 120 / 1000;
    const double heat_W = 0.30 * fuel_kgs * truth::kHeatingValue_Jkg;
    const double open = std::clamp((s_.coolant_C - 86) / 8, 0.03, 1.0);
    const double cooling_WK = open * (90 + 14 * vehicle_ms_ * 3 + (commands.fan ? 420 : 0));
    s_.coolant_C += kInterval_s * (heat_W - cooling_WK * (s_.coolant_C - 22)) / 26000;
    const double intakeTarget = 22 + 9 * std::exp(-vehicle_ms_ / 6) + (s_.boost_kPa - truth::kAmbient_kPa) * 0.16;
    s_.intake_C += (intakeTarget - s_.intake_C) * kInterval_s / 20;
    const double batteryTarget = s_.speed_rpm < 400
                                     ? (starter_ ? 10.6 : 12.4)
                                     : 13.4 + 0.6 * std::min(1.0, s_.speed_rpm / 2500) - (commands.fan ? 0.4 : 0);
    s_.battery_V += (batteryTarget - s_.battery_V) * kInterval_s / 0.8;
}

SensorReadings Plant::sensors() {
    SensorReadings out;
    out.speed_qrpm = std::max(0, static_cast<int>(s_.speed_rpm * 4 + noise_.normal() * 4));
    // Twelve bits over five volts, as the controller's converter has them.
    const double volts =
        (s_.pressure_kPa + 0.25 * noise_.normal() - parts_.pressure.offset_kPa) / parts_.pressure.slope_kPaV;
    out.mapVolts_mV = static_cast<int>(std::lround(std::clamp(volts, 0.0, 5.0) / 5 * 4095) * 5000 / 4095);
    out.throttle_c = static_cast<int>(std::lround(s_.throttle * 1024) * 10000 / 1024);
    out.pedal_c = static_cast<int>(std::lround(s_.pedal * 1024) * 10000 / 1024);
    out.intake_dC = static_cast<int>(std::lround(s_.intake_C * 10));
    out.coolant_dC = static_cast<int>(std::lround(s_.coolant_C * 10));
    out.battery_mV = static_cast<int>(std::lround(s_.battery_V * 1000 + 15 * noise_.normal()));
    out.narrowband_mV = static_cast<int>(450 + 380 * std::tanh((narrow_ - 1) * 60));
    out.wheelPulses = static_cast<int>(std::lround(s_.vehicle_kmh / 3600 * 4210));
    out.gear = s_.gear;
    out.starter = starter_ && ignition_;
    return out;
}

}  // namespace brusk::benchcar
