// Needed channels by role, an error for the first that lacks; helping ones where they are.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/EngineColumns.h"

namespace brusk::evidence {

Result<EngineColumns> engineColumns(const Sampled& drive) {
    struct Wanted {
        roles::Role role;
        Column EngineColumns::*column;
    };
    constexpr Wanted kNeeded[] = {
        {"engine_speed", &EngineColumns::speed_rpm},   {"manifold_pressure", &EngineColumns::pressure_kPa},
        {"throttle", &EngineColumns::throttle_pct},    {"coolant", &EngineColumns::coolant_C},
        {"lambda_asked", &EngineColumns::lambdaAsked}, {"short_trim", &EngineColumns::shortTrim_pct},
        {"long_trim", &EngineColumns::longTrim_pct},   {"airflow", &EngineColumns::airflow_kgh},
        {"fuel_cut", &EngineColumns::fuelCut}};
    constexpr Wanted kHelping[] = {
        {"exhaust_temperature", &EngineColumns::exhaust_C}, {"injector_pulse", &EngineColumns::pulse_us},
        {"injector_duty", &EngineColumns::duty_pct},        {"battery", &EngineColumns::battery_V},
        {"air_per_cylinder", &EngineColumns::air_mg},       {"air_by_density", &EngineColumns::airByDensity_mg},
        {"air_by_meter", &EngineColumns::airByMeter_mg},    {"intake_temperature", &EngineColumns::intake_C},
        {"vehicle_speed", &EngineColumns::road_kmh},        {"limp_mode", &EngineColumns::limp},
        {"purge_duty_now", &EngineColumns::purge_pct},      {"air_source", &EngineColumns::airSource}};
    EngineColumns out;
    out.time_s = drive.time_s();
    for (const auto& [role, column] : kNeeded) {
        auto values = drive.column(role);
        if (!values) return tl::unexpected(values.error());
        out.*column = *values;
    }
    for (const auto& [role, column] : kHelping)
        out.*column = drive.columnIfAny(role);
    auto wideband = drive.series("lambda_measured");
    if (!wideband && wideband.error().code != ErrorCode::NotFound) return tl::unexpected(wideband.error());
    if (wideband) out.wideband = *wideband;
    return out;
}

}  // namespace brusk::evidence
