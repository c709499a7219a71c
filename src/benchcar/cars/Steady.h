// Steady states of a build, solved from the plant's own physics: what a calibrator would measure on the dynamometer.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "benchcar/plant/Build.h"

namespace brusk::benchcar {

class Steady {
  public:
    explicit Steady(const Build& build) : build_(build) {}

    /// Air in each cylinder at a speed and manifold pressure, warm engine, 30 degC before the throttle.
    double air_mg(double rpm, double pressure_kPa) const;
    /// Manifold pressure that gives so much air; up to 400 kPa.
    double pressureFor_kPa(double rpm, double air_mg) const;
    /// Manifold pressure at a throttle opening without boost.
    double pressureAt_kPa(double rpm, double opening) const;
    /// Opening that gives so much air without boost; 1 where it takes all.
    double openingFor(double rpm, double air_mg) const;
    /// Opening at which a standing engine runs at this speed.
    double idleOpening(double rpm, double coolant_C, double spark_deg) const;
    /// Spark for most torque, or less where it would knock with this octane, less a margin.
    double spark_deg(double rpm, double air_mg, double octane_RON, double lambda, double margin_deg) const;
    double chargeTemp_K(double rpm, double air_mg, double intake_C = 30, double coolant_C = 88) const;
    double lambdaWanted(double rpm, double pressure_kPa) const;

  private:
    Build build_;
};

}  // namespace brusk::benchcar
