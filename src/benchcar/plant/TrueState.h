// Everything that is physically so on the bench: what the subsystems of the plant hand to each other every millisecond,
// and what tests hold the measured against.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <array>

namespace brusk::benchcar {

inline constexpr double kStep_s = 0.001;

/// One bank of cylinders and its exhaust.
struct BankState {
    double airPerStroke_g = 0;   ///< each cylinder
    double fuelPerStroke_g = 0;  ///< that reaches the cylinder, each whose injector is well
    double lambda = 1;           ///< of the charge now in those cylinders
    double narrowband_V = 0.45;  ///< true voltage of the sensor
};

struct TrueState {
    // engine
    double speed_rpm = 0;
    double pressure_kPa = 101.3;    ///< manifold
    double boost_kPa = 101.3;       ///< before the throttle
    double backPressure_kPa = 103;  ///< before the turbine
    double turbo_rads = 0;
    double wastegate = 0;        ///< open share
    double airflow_gs = 0;       ///< into the cylinders
    double throttleFlow_gs = 0;  ///< past the throttle
    double meterFlow_gs = 0;     ///< past the airflow meter
    double airPerStroke_g = 0;   ///< mean of the banks
    double fuelPerStroke_g = 0;
    double fuelFlow_gs = 0;       ///< burnt or not, into the cylinders
    double injected_gs = 0;       ///< out of the injectors
    double railPressure = 1;      ///< share of the regulator's pressure
    double injectorPressure = 1;  ///< share of the pressure across the injectors that they were rated for, pump aside
    double weakCylinder = 0;      ///< share of its fuel that the first cylinder does not get
    double purgeAir_gs = 0, purgeFuel_gs = 0;  ///< by the purge valve into the manifold
    double intakeLeak_gs = 0;                  ///< into the manifold, past meter and throttle; negative: out of it
    double boostLeak_gs = 0;                   ///< out of the pipe behind the compressor
    double ethanol = 0;                        ///< share by volume of what is injected
    double fuelUsed_l = 0;                     ///< injected since the bench was built
    int refuels = 0;
    double refuelled_l = 0;     ///< what the pump at the filling station told, in all
    double lambda = 1;          ///< of bank 1
    double lambdaAtSensor = 1;  ///< after transport
    double wideband = 1;        ///< as the sensor reads
    double delay_s = 0.3;       ///< transport now
    bool widebandReady = false;
    double indicated_Nm = 0;
    double torque_Nm = 0;  ///< at the crank, after friction, pumping and what it drives
    double chargeTemp_K = 310;
    double bestSpark_deg = 20;   ///< for most torque
    double knockSpark_deg = 40;  ///< beyond it the engine knocks
    double spark_deg = 0;        ///< as given
    double knock = 0;            ///< degrees beyond the limit in this ten milliseconds, scatter included
    long knockMoments = 0;       ///< ten-millisecond windows with knock so far
    long knocks = 0;             ///< combustions with knock so far; counted where knock has other shapes
    double misfire = 0;          ///< share of strokes that do not burn
    double exhaust_C = 200;
    // heat of this millisecond, watts
    double fuelHeat_W = 0, work_W = 0, coolantHeat_W = 0, unburnt_W = 0;
    // car
    double vehicle_kmh = 0;
    double coolant_C = 78;
    double intake_C = 24;  ///< before the throttle
    double ambient_C = 22;
    double ambient_kPa = 101.3;
    double battery_V = 12.4;
    double throttle = 0;  ///< 0 to 1
    double pedal = 0;     ///< 0 to 1
    double grade = 0;
    double altitude_m = 0;   ///< since the drive began
    double clutch = 0;       ///< 0 open, 1 closed
    double roadForce_N = 0;  ///< what air, tyres and slope take of the car
    double drag_Nm = 0;      ///< what alternator and air conditioning take from the crank
    int gear = 0;
    bool ignition = false;
    bool starter = false;
    bool brake = false;
    bool rolls = false;            ///< in neutral without brakes
    bool lamps = false;            ///< headlamps
    bool covered = false;          ///< a sheet of card before the radiator
    bool airConditioning = false;  ///< asked for by the driver
    bool running = false;
    double runTime_s = 0;
    long tick = 0;  ///< milliseconds
    std::array<BankState, 2> banks;
};

}  // namespace brusk::benchcar
