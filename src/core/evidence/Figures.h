// The figures by which drives are told, promised and compared: one name, title and unit each, whoever measures them.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <array>
#include <string_view>

namespace brusk::evidence {

struct FigureKind {
    std::string_view id;  ///< with its unit at the end
    std::string_view title;
    std::string_view unit;
};

inline constexpr std::array<FigureKind, 19> kFigures = {{
    {"fuel_error_rms_pct", "Fuel off, root mean square", "%"},
    {"fuel_error_boost_pct", "Fuel off in boost, root mean square", "%"},
    {"boost_error_kpa", "Boost off its target after spool-up, root mean square", "kPa"},
    {"overshoot_kpa", "Boost beyond its target, at most", "kPa"},
    {"rise_s", "Time to nine tenths of the boost", "s"},
    {"idle_off_rpm", "Idle off its target, mean", "rpm"},
    {"idle_spread_rpm", "Idle, standard deviation", "rpm"},
    {"start_s", "Time from the starter to an engine that runs, at most", "s"},
    {"flare_rpm", "Speed beyond idle just after the start, at most", "rpm"},
    {"tip_in_lean_area", "Lambda beyond what was asked after a tip-in, over time", "lambda s"},
    {"spark_over_limit_deg", "Spark beyond the knock limit, at most", "\u00b0"},
    {"knock_retard_deg", "Knock retard, at most", "\u00b0"},
    {"lean_in_boost_s", "Time leaner than 0.92 beyond 130 kPa", "s"},
    {"pedal_off_pct", "Torque off what the pedal asks for, mean", "%"},
    {"speed_off_pct", "Road speed off, mean", "%"},
    {"changeover_step_pct", "Step between the air models where one hands over, mean", "%"},
    {"banks_apart_pct", "Fuel of the banks apart", "%"},
    {"full_load_late_s", "Time from full load to its mixture being asked for", "s"},
    {"limit_share_pct", "Time in a limit or in limp mode", "%"},
}};

/// Null for none.
inline const FigureKind* figureKind(std::string_view id) {
    for (const FigureKind& one : kFigures)
        if (one.id == id) return &one;
    return nullptr;
}

}  // namespace brusk::evidence
