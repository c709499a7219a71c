// How one car differs from the drawing it was built after, and its day from the book's. Estimators know the book; a car
// that differs from it by drawn amounts can show them wrong. All zero: the book's car.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <array>
#include <cstddef>
#include <cstdint>
#include <optional>
#include <string>
#include <vector>

namespace brusk::benchcar {

/// The weather on the bench.
struct Weather {
    double temperature_C = 22;
    double pressure_kPa = 101.3;
};

/// Shares are of the book's value: 0.01 is one percent more.
struct Drawn {
    static constexpr size_t kNodes = 5, kStretches = 64, kMostCylinders = 8;

    double injectorFlow = 0;    ///< share
    double deadTime_us = 0;     ///< more at 14 V
    double deadSlope = 0;       ///< share
    double widebandGain = 0;    ///< share of lambda
    double widebandOffset = 0;  ///< lambda
    double stoich = 0;          ///< share of the fuel's stoichiometric ratio
    double mass_kg = 0;
    double dragArea = 0;  ///< share
    double wind_ms = 0;   ///< against the car
    double intake_K = 0;  ///< that the intake sensor reads too much
    /// Share of filling at nodes of speed (700 to 6700 rpm) and pressure (20 to 220 kPa), even between them.
    std::array<std::array<double, kNodes>, kNodes> filling{};
    std::array<double, kStretches> grade{};          ///< of each stretch of a route, in turn
    std::array<double, kMostCylinders> cylinders{};  ///< share of air that each takes more than the mean
    std::optional<Weather> weather;

    // Shapes that no estimator has.
    bool shapes = false;        ///< the pipe's gas by its state, knock by the combustion and with a tail
    double slowFilm = 0;        ///< share of what lands on the wall that leaves it six times as slowly
    double widebandAge_s = 0;   ///< more lag of the wideband than a new one has
    double groundOffset_V = 0;  ///< more, between the wideband's analogue output and the controller's ground

    double fillingAt(double rpm, double pressure_kPa) const;
    /// Share of air that the fullest cylinder takes more than the mean.
    double fullest() const;
};

/// What the seed draws, each evenly within: injector flow 2 %, dead time 40 us and its slope 10 %, wideband 1 % and
/// 0.005, stoichiometric ratio 1 %, filling 2 %, mass 40 kg, drag area 5 %, wind 3 m/s, grades 1 %, intake sensor 2 K,
/// cylinders 2 % (their mean is nil), weather 80 to 102 kPa and -10 to 38 degC; with the other shapes a slow part of
/// the film of 10 to 35 %, a wideband up to 60 ms older and 40 mV between the grounds.
Drawn draw(uint64_t seed, int cylinders);

/// What was drawn, by name and with its unit, for whoever keeps the truth beside a recording.
struct DrawnFact {
    std::string name;
    std::string unit;
    double value = 0;
};
std::vector<DrawnFact> factsOf(const Drawn& drawn);

}  // namespace brusk::benchcar
