// What the strategies tell each other within one step of ten milliseconds: whole numbers in the units behind each name.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <array>
#include <cstdint>

#include "benchcar/controller/Wires.h"

namespace brusk::benchcar {

enum class EngineState : uint8_t { Stopped, Cranking, Running };

/// Why fuel is cut, as it is reported.
enum class CutReason : uint8_t { None, Overrun, Revs, Boost, Speed, Load, Flood };

struct Signals {
    SensorReadings in;

    // Inputs
    EngineState engine = EngineState::Stopped;
    uint32_t runTicks = 0;    ///< 10 ms since the engine runs
    uint32_t crankTicks = 0;  ///< 10 ms since the starter turned it
    int speed_q = 0;          ///< 0.25 rpm
    int rpm = 0;
    int pressure_c = 10130;  ///< 0.01 kPa, filtered
    int baro_c = 10130;      ///< 0.01 kPa, learned
    int meter_f = 0;         ///< airflow meter, 0.02 kg/h
    int throttle_c = 0;      ///< 0.01 %
    int pedal_c = 0;         ///< 0.01 %
    int intake_d = 200;      ///< 0.1 degC
    int coolant_d = 200;     ///< 0.1 degC
    int intake_i = 60;       ///< degC + 40, as the curves want it
    int coolant_i = 60;
    int battery_mV = 12400;
    int vehicle_c = 0;  ///< 0.01 km/h
    int gear = 0;
    // Which sensors diagnosis has given up, from the last step.
    bool pressureFailed = false, meterFailed = false, intakeFailed = false, coolantFailed = false,
         throttleFailed = false, pedalFailed = false, narrowbandFailed = false, narrowband2Failed = false,
         knockFailed = false;

    // Air
    int charge_dK = 2980;  ///< 0.1 K
    int air_ug = 0;        ///< each cylinder and stroke
    int load_r = 0;        ///< the same, 0.02 mg
    int airflow_f = 0;     ///< 0.02 kg/h
    int airSpeedDensity_ug = 0, airMeter_ug = 0;
    bool changingOver = false;  ///< between the two estimates
    int cylinders = 4, banks = 1;

    // Fuel
    int lambda_4 = 10000;  ///< asked, 0.0001
    bool fuelCut = false;  ///< by whatever reason
    bool overrun = false;
    uint32_t sinceCut = 0;  ///< 10 ms since the last cut ended; 0: none yet, or cut now
    bool fullLoad = false;

    // Loop
    std::array<int, 2> short_c{}, long_c{};  ///< 0.01 %
    std::array<bool, 2> closed{};

    // Spark
    int knockRetard_d = 0;  ///< 0.1 deg
    int spark_d = 0;        ///< as given

    // Boost
    int boostTarget_c = 0;  ///< 0.01 kPa
    bool boostActive = false;

    // Idle
    bool idling = false;
    int idleTarget = 0;   ///< rpm
    int idleAir_c = 0;    ///< throttle, 0.01 %
    int idleSpark_d = 0;  ///< 0.1 deg

    // What a tester adds for a moment
    int dutyStep_c = 0;    ///< to the wastegate's duty, 0.01 %
    int lambdaStep_4 = 0;  ///< to lambda, 0.0001

    // Cooling
    int fans = 0;
    bool compressor = false;

    // Torque and limits
    int throttleTarget_c = 0;
    int torqueRequest_d = 0;  ///< 0.1 Nm
    CutReason limit = CutReason::None;
    bool boostCut = false;
    bool limp = false;
};

}  // namespace brusk::benchcar
