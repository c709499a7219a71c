// The order in which the subsystems step, a millisecond at a time.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "benchcar/plant/Plant.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace brusk::benchcar {

Plant::Plant(const Build& build, uint64_t seed)
    : build_(build),
      noise_(seed),
      tank_(build.fuel),
      driver_(build_),
      breathing_(build_),
      turbo_(build_),
      fuel_(build_),
      combustion_(build_, noise_),
      exhaust_(build_, noise_),
      thermal_(build_),
      sensors_(build_, noise_) {
    if (build_.drawn.weather) {
        setWeather(*build_.drawn.weather);
        s_.pressure_kPa = s_.boost_kPa = s_.ambient_kPa;
        s_.backPressure_kPa = s_.ambient_kPa + 1.7;
        s_.intake_C = s_.ambient_C + 2;
    }
}

void Plant::setRoute(const Route& route) {
    driver_.begin(route);
    s_.ignition = true;
    if (route.weather_C) setWeather({*route.weather_C, weather_.pressure_kPa});
    if (route.cold) {
        s_.coolant_C = s_.ambient_C;
        s_.intake_C = s_.ambient_C;
    }
}

void Plant::setWeather(const Weather& weather) {
    weather_ = weather;
    s_.altitude_m = 0;
    s_.ambient_C = weather.temperature_C;
    s_.ambient_kPa = weather.pressure_kPa;
}

void Plant::step(const ActuatorCommands& commands) {
    driver_.step(s_);
    s_.airConditioning = s_.airConditioning || airConditioning_;
    breathing_.step(s_, s_.ignition ? std::clamp(commands.throttle_c / 10000.0, 0.0, 1.0) : air::kRestOpening,
                    commands.purge_h / 200.0, faults_);
    turbo_.step(s_, commands.wastegate_h / 200.0, faults_.wastegateStuck);
    fuel_.step(s_, {static_cast<double>(commands.pulse_us[0]), static_cast<double>(commands.pulse_us[1])}, faults_);
    combustion_.step(s_, commands.spark_d / 10.0, commands.dwell_us / 1000.0);
    exhaust_.step(s_, faults_);
    move();
    if (s_.tick % 50 == 0) {
        thermal_.step(s_, {commands.fans, commands.compressor}, faults_);
        burnWhatTheTankGives();
        if (driver_.active() && driver_.route().mountain) climb();
    }
    s_.running = s_.speed_rpm > 500;
    s_.runTime_s = s_.running ? s_.runTime_s + kStep_s : 0;
    ++s_.tick;
}

/// Other fuel comes when what stood in the lines is used up.
void Plant::burnWhatTheTankGives() {
    constexpr double kLines_g = 120;
    const double share = std::min(1.0, s_.injected_gs * thermal::kEvery_s / kLines_g);
    const double ethanol = faults_.otherFuel >= 0 ? faults_.otherFuel : tank_.ethanol;
    const double octane = faults_.poorFuel_RON > 0 ? faults_.poorFuel_RON : tank_.octane_RON;
    build_.fuel.ethanol += (ethanol - build_.fuel.ethanol) * share;
    build_.fuel.octane_RON += (octane - build_.fuel.octane_RON) * share;
    s_.ethanol = build_.fuel.ethanol;
}

/// The standard atmosphere (ISO 2533) from where the drive began.
void Plant::climb() {
    s_.altitude_m += s_.grade * s_.vehicle_kmh / 3.6 * thermal::kEvery_s;
    s_.ambient_C = weather_.temperature_C - 0.0065 * s_.altitude_m;
    s_.ambient_kPa = weather_.pressure_kPa * std::pow(1 - 2.25577e-5 * s_.altitude_m, 5.25588);
}

void Plant::move() {
    using namespace chassis;
    double clutchTorque = 0;
    const double radius = build_.parts.tyreRadius_m;
    const double ratio = build_.chassis.gears[static_cast<size_t>(std::clamp(s_.gear, 0, 6))] * build_.chassis.final;
    if (s_.gear > 0) {
        const double wheelSide = vehicle_ms_ / radius * ratio;
        // A driver slips the clutch rather than stall the engine.
        const double holds_Nm = faults_.clutchSlip_Nm > 0 ? faults_.clutchSlip_Nm : kClutch_Nm;
        const double most = holds_Nm * s_.clutch * std::clamp((s_.speed_rpm - 650) / 500, 0.0, 1.0);
        clutchTorque = std::clamp((omega_ - wheelSide) * kClutchSlip, -most, most);
    }
    const double starter = s_.starter && s_.ignition
                               ? std::clamp((kStarter_rpm - s_.speed_rpm) * 1.2 + 40, 0.0, 110.0) *
                                     std::clamp((s_.battery_V - 6) / 4, 0.2, 1.0)
                               : 0;
    omega_ = std::max(0.0, omega_ + kStep_s * (s_.torque_Nm + starter - clutchTorque) / build_.engine.inertia_kgm2);
    if (!s_.ignition && omega_ < 3) omega_ = 0;
    const double traction = clutchTorque * ratio / radius * (clutchTorque > 0 ? kDriveline : 1 / kDriveline);
    const double mass_kg = build_.chassis.mass_kg + build_.drawn.mass_kg;
    const double weight = mass_kg * kGravity;
    const double air_ms = vehicle_ms_ + (vehicle_ms_ > 0.05 ? build_.drawn.wind_ms : 0);
    const double dragArea_m2 = build_.chassis.dragArea_m2 * (1 + build_.drawn.dragArea);
    const double resisting = 0.5 * kAirDensity * dragArea_m2 * air_ms * std::abs(air_ms) +
                             (vehicle_ms_ > 0.05 ? kRolling * weight : 0) +
                             (s_.gear > 0 || s_.rolls ? s_.grade * weight : 0);
    s_.roadForce_N = resisting;
    const double brakes = s_.gear == 0 && !s_.rolls ? kBrake_ms2 * mass_kg : 0;
    vehicle_ms_ = std::max(0.0, vehicle_ms_ + kStep_s * (traction - resisting - brakes) / (mass_kg * kRotating));
    s_.speed_rpm = omega_ * 60 / (2 * std::numbers::pi);
    s_.vehicle_kmh = vehicle_ms_ * 3.6;
}

}  // namespace brusk::benchcar
