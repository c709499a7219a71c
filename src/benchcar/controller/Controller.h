// The bench car's engine controller: fixed-point strategies every 10 ms, driven by the bytes in its flash.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "benchcar/controller/Boost.h"
#include "benchcar/controller/Diagnosis.h"
#include "benchcar/controller/Fuelling.h"
#include "benchcar/controller/Idle.h"
#include "benchcar/controller/Inputs.h"
#include "benchcar/controller/LambdaLoop.h"
#include "benchcar/controller/Limits.h"
#include "benchcar/controller/Purge.h"
#include "benchcar/controller/Spark.h"
#include "benchcar/controller/Torque.h"

namespace brusk::benchcar {

class Controller {
  public:
    explicit Controller(ControllerMemory& memory);
    Controller(const Controller&) = delete;
    Controller& operator=(const Controller&) = delete;

    /// Forgets what RAM held: power was off. Codes, trims and what idle and knock control learned are kept.
    void powerUp();
    /// One step of ten milliseconds. With the ignition off only the fans may still run.
    ActuatorCommands step(const SensorReadings& in, bool ignition);

    const std::vector<StoredCode>& codes() const { return diagnosis_.codes(); }
    void clearCodes();
    /// Trims, idle and what the fuel was found to bear begin anew.
    void forgetLearned();
    /// What a tester adds to the wastegate's duty (percent) and to the lambda that is asked for.
    void addSteps(double duty_pct, double lambda);
    Diagnosis& diagnosis() { return diagnosis_; }
    const Signals& now() const { return s_; }

  private:
    ControllerMemory& memory_;
    Signals s_;
    Inputs inputs_;
    Air air_;
    Limits limits_;
    Boost boost_;
    Fuelling fuel_;
    LambdaLoop loop_;
    Spark spark_;
    Idle idle_;
    Torque torque_;
    Cooling cooling_;
    Purge purge_;
    Diagnosis diagnosis_;
};

}  // namespace brusk::benchcar
