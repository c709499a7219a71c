// What the sensors make of the truth: transfer curves, the converter's steps, noise, and their faults.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <array>

#include "benchcar/controller/Wires.h"
#include "benchcar/plant/Build.h"
#include "benchcar/plant/Faults.h"
#include "benchcar/plant/Noise.h"
#include "benchcar/plant/TrueState.h"

namespace brusk::benchcar {

namespace sense {
inline constexpr double kSupply_V = 5;
inline constexpr int kConverter = 4095;                          // twelve bits over the supply
inline constexpr double kThermistor_Ohm = 2500, kBeta_K = 3450;  // at 25 degC; a usual NTC
inline constexpr double kPullUp_Ohm = 2200;
inline constexpr double kClosed_V = 0.62, kOpen_V = 4.38;  // throttle and pedal
inline constexpr double kMeterZero_Hz = 1200;              // airflow meter: frequency at rest
inline constexpr double kMeterGain = 9.6e-6;               // kg/h per Hz squared in a 70 mm housing
inline constexpr double kMeterHousing_mm = 70;
inline constexpr double kReversion = 0.07;                             // over-reading where the column swings back
inline constexpr double kPulsesPerTurn = 8;                            // wheel sensor
inline constexpr double kKnockFloor_mV = 110, kKnockSpeed_mV = 0.055;  // mechanical noise, and per rpm
inline constexpr double kKnock_mV = 190;                               // per degree beyond the limit
inline constexpr double kFalseFrom_rpm = 3000, kFalseTo_rpm = 3600;    // where a loose bracket rings
inline constexpr double kTipIn_kPas = 40;   // a rise of pressure that rattles the valve train
inline constexpr double kSoakFlow_gs = 20;  // air that halves what heat soaked into a sensor
// The wideband's own analogue output: 0 to 5 V for lambda 0.5 to 1.5, against a ground of its own.
inline constexpr double kAnalogueLow = 0.5, kAnaloguePerV = 0.2, kGround_V = 0.015;
inline constexpr double kDivider = 4;  // of the battery's voltage
}  // namespace sense

double thermistor_V(double celsius);
double thermistor_C(double volts);
/// Frequency of the airflow meter at a flow, and the flow that makes a frequency.
double meter_Hz(double housing_mm, double flow_kgh);
double meterFlow_kgh(double housing_mm, double hertz);
/// Share that the meter reads too much: slow engine, open throttle.
double reversion(double rpm, double throttle);
double pulsesPerKm(const Parts& parts);

class Sensors {
  public:
    Sensors(const Build& build, Noise& noise) : build_(build), noise_(noise) {}
    /// Every 10 ms.
    SensorReadings read(const TrueState& s, const Faults& faults);
    /// The wideband's lambda as it was read last, after its own faults; nil from a dead one.
    double wideband() const { return wideband_; }

  private:
    double faulty(Sensor sensor, double value, double dead, const Faults& faults);
    int millivolts(double volts) const;
    double knock_V(const TrueState& s, const Faults& faults);

    const Build& build_;
    Noise& noise_;
    double wideband_ = 0;
    double pressureBefore_kPa_ = 101.3;
    std::array<double, kSensorCount> held_{};  ///< the last good value, or the slow one
    std::array<SensorFault::Kind, kSensorCount> was_{};
};

}  // namespace brusk::benchcar
