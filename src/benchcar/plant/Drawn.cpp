// Draws one car out of all that are built after one drawing.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "benchcar/plant/Drawn.h"

#include <algorithm>

#include "benchcar/plant/Noise.h"

namespace brusk::benchcar {

namespace {

constexpr double kLowest_rpm = 700, kHighest_rpm = 6700;
constexpr double kLowest_kPa = 20, kHighest_kPa = 220;
// The draw has a stream of its own: what else a seed decides is not moved by it.
constexpr uint64_t kStream = 0xD3A3ull << 32;

/// Where a value lies between nodes: the node below it and the share of the way to the next.
std::pair<size_t, double> between(double value, double lowest, double highest) {
    const double at =
        std::clamp((value - lowest) / (highest - lowest), 0.0, 1.0) * static_cast<double>(Drawn::kNodes - 1);
    const size_t node = std::min(static_cast<size_t>(at), Drawn::kNodes - 2);
    return {node, at - static_cast<double>(node)};
}

}  // namespace

double Drawn::fillingAt(double rpm, double pressure_kPa) const {
    const auto [i, s] = between(rpm, kLowest_rpm, kHighest_rpm);
    const auto [j, t] = between(pressure_kPa, kLowest_kPa, kHighest_kPa);
    return (1 - s) * ((1 - t) * filling[i][j] + t * filling[i][j + 1]) +
           s * ((1 - t) * filling[i + 1][j] + t * filling[i + 1][j + 1]);
}

double Drawn::fullest() const {
    return *std::max_element(cylinders.begin(), cylinders.end());
}

Drawn draw(uint64_t seed, int cylinders) {
    Noise noise(seed ^ kStream);
    const auto within = [&](double least, double most) {
        return least + (most - least) * static_cast<double>(noise.next() >> 11) * 0x1p-53;
    };
    const auto around = [&](double amount) { return within(-amount, amount); };
    Drawn out;
    out.injectorFlow = around(0.02);
    out.deadTime_us = around(40);
    out.deadSlope = around(0.10);
    out.widebandGain = around(0.01);
    out.widebandOffset = around(0.005);
    out.stoich = around(0.01);
    out.mass_kg = around(40);
    out.dragArea = around(0.05);
    out.wind_ms = around(3);
    out.intake_K = around(2);
    for (auto& row : out.filling)
        for (double& node : row)
            node = around(0.02);
    for (double& stretch : out.grade)
        stretch = around(0.01);
    const auto many = static_cast<size_t>(std::clamp(cylinders, 1, static_cast<int>(Drawn::kMostCylinders)));
    double mean = 0;
    for (size_t i = 0; i < many; ++i) {
        out.cylinders[i] = around(0.02);
        mean += out.cylinders[i] / static_cast<double>(many);
    }
    for (size_t i = 0; i < many; ++i)
        out.cylinders[i] -= mean;
    out.weather = Weather{within(-10, 38), within(80, 102)};
    out.shapes = true;
    out.slowFilm = within(0.10, 0.35);
    out.widebandAge_s = within(0, 0.06);
    out.groundOffset_V = around(0.04);
    return out;
}

std::vector<DrawnFact> factsOf(const Drawn& drawn) {
    std::vector<DrawnFact> out = {{"injector_flow", "%", drawn.injectorFlow * 100},
                                  {"dead_time", "us", drawn.deadTime_us},
                                  {"dead_time_slope", "%", drawn.deadSlope * 100},
                                  {"wideband_gain", "%", drawn.widebandGain * 100},
                                  {"wideband_offset", "lambda", drawn.widebandOffset},
                                  {"stoichiometric_ratio", "%", drawn.stoich * 100},
                                  {"mass", "kg", drawn.mass_kg},
                                  {"drag_area", "%", drawn.dragArea * 100},
                                  {"wind", "m/s", drawn.wind_ms},
                                  {"intake_sensor", "K", drawn.intake_K},
                                  {"fullest_cylinder", "%", drawn.fullest() * 100}};
    if (drawn.weather) {
        out.push_back({"air_temperature", "degC", drawn.weather->temperature_C});
        out.push_back({"air_pressure", "kPa", drawn.weather->pressure_kPa});
    }
    out.push_back({"slow_film", "%", drawn.slowFilm * 100});
    out.push_back({"wideband_age", "ms", drawn.widebandAge_s * 1000});
    out.push_back({"ground_offset", "mV", drawn.groundOffset_V * 1000});
    for (size_t i = 0; i < Drawn::kNodes; ++i)
        for (size_t j = 0; j < Drawn::kNodes; ++j)
            out.push_back({"filling_" + std::to_string(i) + "_" + std::to_string(j), "%", drawn.filling[i][j] * 100});
    for (size_t i = 0; i < Drawn::kStretches; ++i)
        out.push_back({"grade_" + std::to_string(i), "%", drawn.grade[i] * 100});
    return out;
}

}  // namespace brusk::benchcar
