// The Aldine E2's firmware model: every 10 ms it reads its sensors, looks up its maps in its own flash bytes, in
// fixed-point, and sets its actuators.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <array>
#include <cstdint>

#include "benchcar/ControllerMemory.h"

namespace brusk::benchcar {

/// What the controller's pins see, already converted to integers as its ADC and timers do.
struct SensorReadings {
    int speed_qrpm = 0;  ///< 0.25 rpm
    int mapVolts_mV = 0;
    int throttle_c = 0;  ///< 0.01 %
    int pedal_c = 0;     ///< 0.01 %
    int intake_dC = 0;   ///< 0.1 degC
    int coolant_dC = 0;
    int battery_mV = 0;
    int narrowband_mV = 0;
    int wheelPulses = 0;  ///< in the last second
    int gear = 0;
    bool starter = false;
};

struct ActuatorCommands {
    int pulse_us = 0;     ///< 0: no fuel
    int spark_d = 0;      ///< 0.1 deg before top dead centre
    int throttle_c = 0;   ///< 0.01 %
    int wastegate_h = 0;  ///< 0.5 %
    bool fan = false;
};

/// A trouble code the controller can set; bits as in ISO 14229-1 D.2.
struct StoredCode {
    uint32_t code;
    uint8_t status;
};

class Controller {
  public:
    explicit Controller(ControllerMemory& memory) : memory_(memory) {}

    /// Forgets what RAM held: power was off.
    void powerUp();
    ActuatorCommands step(const SensorReadings& in);

    const std::array<StoredCode, 4>& codes() const { return codes_; }
    void clearCodes();

  private:
    enum CodeIndex { kMapLowCode, kMapHighCode, kLeanCode, kRichCode };

    void readSensors(const SensorReadings& in);
    void estimateAir();
    void askLambda();
    void closeLoop();
    int fuelPulse();
    bool fuelCut();
    int spark();
    int throttle();
    int wastegate();
    void watch();
    void setCode(CodeIndex index, int switchBit, bool failing);
    int coolantIndex() const;
    int learnZone() const;

    ControllerMemory& memory_;
    std::array<int64_t, 4> learnedFine_{};  ///< by airflow zone, 0.01 % / 1000000; kept through a power cycle
    std::array<StoredCode, 4> codes_{{{0x010700, 0}, {0x010800, 0}, {0x017100, 0}, {0x017200, 0}}};
    SensorReadings in_;
    int pressure_c_ = 10130;  ///< 0.01 kPa, filtered
    int charge_dK_ = 2980;    ///< 0.1 K
    int ve_ = 0;              ///< 0.01 %
    int air_ug_ = 0;          ///< per cylinder and stroke
    int airflow_c_ = 0;       ///< 0.02 kg/h
    int lambda_ = 10000;      ///< 0.0001
    int warmUp_c_ = 0;        ///< 0.01 %
    int short_c_ = 0;         ///< 0.01 %
    int64_t shortFine_ = 0;   ///< 0.01 % / 1000
    bool wasRich_ = false;
    bool loopClosed_ = false;
    bool cut_ = false;
    bool overRev_ = false;
    bool overBoost_ = false;
    bool fan_ = false;
    int64_t idleFine_ = 0;   ///< 0.01 % throttle / 1000
    uint32_t runTicks_ = 0;  ///< 10 ms since the engine runs
    int engineState_ = 0;
    std::array<int, 4> failTicks_{};
    ControllerMemory::Position speedAt_;
    ControllerMemory::Position pressureAt_;
};

}  // namespace brusk::benchcar
