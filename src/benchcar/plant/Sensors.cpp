// What is true becomes voltages, with lag, noise, offset and faults.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "benchcar/plant/Sensors.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace brusk::benchcar {

double thermistor_V(double celsius) {
    const double ohm = sense::kThermistor_Ohm * std::exp(sense::kBeta_K * (1 / (celsius + 273.15) - 1 / 298.15));
    return sense::kSupply_V * ohm / (ohm + sense::kPullUp_Ohm);
}

double thermistor_C(double volts) {
    const double ohm = sense::kPullUp_Ohm * volts / (sense::kSupply_V - volts);
    return 1 / (1 / 298.15 + std::log(ohm / sense::kThermistor_Ohm) / sense::kBeta_K) - 273.15;
}

double meter_Hz(double housing_mm, double flow_kgh) {
    const double scale = housing_mm / sense::kMeterHousing_mm;
    return sense::kMeterZero_Hz + std::sqrt(std::max(0.0, flow_kgh) / (sense::kMeterGain * scale * scale));
}

double meterFlow_kgh(double housing_mm, double hertz) {
    const double scale = housing_mm / sense::kMeterHousing_mm;
    const double above = std::max(0.0, hertz - sense::kMeterZero_Hz);
    return sense::kMeterGain * scale * scale * above * above;
}

double reversion(double rpm, double throttle) {
    const double slow = (rpm - 1300) / 500;
    return sense::kReversion * std::exp(-slow * slow) * std::clamp((throttle - 0.25) / 0.35, 0.0, 1.0);
}

double pulsesPerKm(const Parts& parts) {
    return sense::kPulsesPerTurn * 1000 / (2 * std::numbers::pi * parts.tyreRadius_m);
}

int Sensors::millivolts(double volts) const {
    const double share = std::clamp(volts / sense::kSupply_V, 0.0, 1.0);
    return static_cast<int>(std::lround(share * sense::kConverter) * 5000 / sense::kConverter);
}

double Sensors::faulty(Sensor sensor, double value, double dead, const Faults& faults) {
    using Kind = SensorFault::Kind;
    const auto i = static_cast<size_t>(sensor);
    const SensorFault& fault = faults.sensors[i];
    if (fault.kind != was_[i] && fault.kind == Kind::Slow) held_[i] = value;
    if (fault.kind == Kind::None) held_[i] = value;
    was_[i] = fault.kind;
    switch (fault.kind) {
        case Kind::None:
            return value;
        case Kind::Dead:
            return dead;
        case Kind::Stuck:
            return held_[i];
        case Kind::Slow:
            held_[i] += (value - held_[i]) * std::min(1.0, 0.01 / std::max(fault.amount, 0.01));
            return held_[i];
        case Kind::Offset:
            // The airflow meter's unit is the hertz: a volt's worth is a thousand of them.
            return value + fault.amount * (sensor == Sensor::Meter ? 1000 : 1);
        case Kind::Scaled:
            return value * fault.amount;
    }
    return value;
}

SensorReadings Sensors::read(const TrueState& s, const Faults& faults) {
    const Parts& parts = build_.parts;
    SensorReadings out;
    out.speed_qrpm = std::max(0, static_cast<int>(s.speed_rpm * 4 + noise_.normal() * 4));
    const double pressure_V =
        (s.pressure_kPa + 0.25 * noise_.normal() - parts.pressure.offset_kPa) / parts.pressure.slope_kPaV;
    out.map_mV = millivolts(faulty(Sensor::Pressure, pressure_V, 0, faults));
    const double seen_kgh =
        s.meterFlow_gs * 3.6 * (1 + reversion(s.speed_rpm, s.throttle)) * (1 + 0.004 * noise_.normal());
    out.maf_Hz = static_cast<int>(
        std::lround(std::max(0.0, faulty(Sensor::Meter, meter_Hz(parts.airflowHousing_mm, seen_kgh), 0, faults))));
    const double travel_V = sense::kOpen_V - sense::kClosed_V;
    out.throttle_mV = millivolts(faulty(Sensor::Throttle, sense::kClosed_V + travel_V * s.throttle, 0, faults));
    out.pedal_mV = millivolts(faulty(Sensor::Pedal, sense::kClosed_V + travel_V * s.pedal, 0, faults));
    const double soaked_K = faults.heatSoak_K / (1 + s.airflow_gs / sense::kSoakFlow_gs);
    out.intake_mV = millivolts(
        faulty(Sensor::Intake, thermistor_V(s.intake_C + build_.drawn.intake_K + soaked_K), sense::kSupply_V, faults));
    out.coolant_mV = millivolts(faulty(Sensor::Coolant, thermistor_V(s.coolant_C), sense::kSupply_V, faults));
    out.battery_mV = millivolts((s.battery_V + 0.015 * noise_.normal()) / sense::kDivider);
    std::array<double, 2> narrow_V{s.banks[0].narrowband_V, s.banks[1].narrowband_V};
    if (faults.banksCrossed > 0) std::swap(narrow_V[0], narrow_V[1]);
    // A broken wire floats at the middle of the bias.
    out.narrowband_mV[0] = millivolts(faulty(Sensor::Narrowband, narrow_V[0], 0.45, faults));
    out.narrowband_mV[1] = millivolts(faulty(Sensor::Narrowband2, narrow_V[1], 0.45, faults));
    out.knock_mV = millivolts(faulty(Sensor::Knock, knock_V(s, faults), 0, faults));
    const double wheel_Hz = s.vehicle_kmh / 3600 * pulsesPerKm(parts);
    out.wheel_dHz = static_cast<int>(std::lround(std::max(0.0, faulty(Sensor::Wheel, wheel_Hz, 0, faults)) * 10));
    out.starter = s.starter && s.ignition;
    out.neutral = s.gear == 0;
    out.clutch = s.clutch < 0.95 && s.gear != 0;
    out.brake = s.brake;
    const double shown = s.wideband * (1 + build_.drawn.widebandGain) + build_.drawn.widebandOffset;
    wideband_ = faulty(Sensor::Wideband, shown, 0, faults);
    out.spare_mV = millivolts((wideband_ - sense::kAnalogueLow) / sense::kAnaloguePerV + sense::kGround_V +
                              build_.drawn.groundOffset_V);
    out.airConditioning = s.airConditioning;
    return out;
}

/// How loud it is in these ten milliseconds, whether it is knock or not.
double Sensors::knock_V(const TrueState& s, const Faults& faults) {
    const double rise_kPas = (s.pressure_kPa - pressureBefore_kPa_) / 0.01;
    pressureBefore_kPa_ = s.pressure_kPa;
    if (s.speed_rpm <= 300) return 0.02;
    const double floor_mV = sense::kKnockFloor_mV + sense::kKnockSpeed_mV * s.speed_rpm;
    double out = (floor_mV * (1 + 0.06 * noise_.normal()) + sense::kKnock_mV * s.knock) / 1000;
    if (faults.falseKnock_V > 0 && s.speed_rpm > sense::kFalseFrom_rpm && s.speed_rpm < sense::kFalseTo_rpm)
        out += faults.falseKnock_V * std::max(0.0, noise_.normal()) / 2;
    if (faults.tipInNoise_V > 0 && rise_kPas > sense::kTipIn_kPas) out += faults.tipInNoise_V;
    return out;
}

}  // namespace brusk::benchcar
