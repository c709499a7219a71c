// Torque and power of a pull from how the car gains speed, with a band: what is known of mass, road and losses says how
// wide it is.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <vector>

#include "core/evidence/Events.h"
#include "core/evidence/Steady.h"
#include "core/evidence/Taint.h"

namespace brusk::evidence {

/// What has to be known of the car and the day, and how well: standard deviations.
struct RoadFacts {
    double mass_kg = 1400, massDoubt_kg = 25;     ///< as it is driven
    double dragArea_m2 = 0.68, dragDoubt = 0.05;  ///< share
    double rolling = 0.012, rollingDoubt = 0.0015;
    double airDensity_kgm3 = 1.2, windDoubt_ms = 2;
    std::optional<double> grade;  ///< of the stretch, share; nothing: only a coast-down tells it
    double gradeDoubt = 0.0015;
    double efficiency = 0.93, efficiencyDoubt = 0.012;     ///< of gearbox and final drive
    double rotating = 1.06;                                ///< wheels and shafts, as more mass
    double inertia_kgm2 = 0.18, inertiaDoubt_kgm2 = 0.06;  ///< crank, flywheel and clutch
};

/// At the crank, n each, by rising engine speed.
struct TorqueCurve {
    std::vector<double> speed_rpm, time_s;
    std::vector<double> torque_Nm;
    std::vector<double> doubt_Nm;  ///< standard deviation; the band is twice that to either side
    std::optional<Stretch> coast;  ///< the coast-down that told the road; its drive is not set
    bool known = false;            ///< by a coast-down or the grade; else only differences on one road mean something
    /// What it would be in the standard's air over what it was; nothing where that was not recorded, or lies beyond it.
    std::optional<double> iso1585;
    double power_kW(size_t i) const;
    /// The point of greatest torque, and of greatest power.
    size_t peak() const;
    size_t strongest() const;
    static constexpr double kBand = 2;
};

/// Of a pull, every 100 rpm. The forces of the road are those of a coast-down in neutral that follows it within two
/// minutes (ISO 10521), which are taken from the car's gain of speed, grade, tyres, wind and all; without one they are
/// computed. Nothing where engine or road speed was not recorded, or the pull is too short.
std::optional<TorqueCurve> roadTorque(const Sampled& drive, const FoundEvent& pull, const RoadFacts& facts);

/// ISO 1585 for spark-ignition engines: what the torque would be in dry air of 99 kPa and 25 degC over what it was.
/// Nothing beyond 0.93 to 1.07, where the standard does not hold.
std::optional<double> iso1585Factor(double dryPressure_kPa, double intake_C);

}  // namespace brusk::evidence
