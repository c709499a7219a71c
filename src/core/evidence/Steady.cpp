// One walk a drive: how long nothing has moved, and sums since then.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/Steady.h"

#include <algorithm>

#include "core/evidence/Spans.h"

namespace brusk::evidence {
namespace {

constexpr double kBefore_s = 0.6, kRow_s = 2.5, kAfterCut_s = 4;
constexpr double kWarm_C = 65, kRuns_rpm = 450;
constexpr double kSpeed = 0.06, kSpeed_rpm = 50, kPressure = 0.1, kPressure_kPa = 2, kAsked = 0.015;

/// What is settled since when.
struct Held {
    double speed = 0, pressure = 0, asked = 0, since_s = 0;
    bool still(double n, double p, double a) const {
        return std::abs(n - speed) < kSpeed_rpm + kSpeed * speed &&
               std::abs(p - pressure) < kPressure_kPa + kPressure * pressure && !(std::abs(a - asked) > kAsked);
    }
};

SteadyRow meansOf(const Sampled& drive, size_t number, Span span) {
    const auto time = drive.time_s();
    SteadyRow out;
    out.drive = number;
    out.from_s = time[span.begin], out.to_s = time[span.end - 1];
    const auto mean = [&](roles::Role role) { return extentOf(drive.columnIfAny(role), span).mean; };
    out.speed_rpm = mean("engine_speed"), out.pressure_kPa = mean("manifold_pressure");
    out.airflow_kgh = mean("airflow"), out.asked = mean("lambda_asked");
    // The exhaust mixes shares of fuel, not lambdas.
    const Column lambda = drive.columnIfAny("lambda_measured");
    double shares = 0;
    size_t told = 0;
    for (size_t i = span.begin; i < std::min(span.end, lambda.size()); ++i)
        if (lambda[i] > 0) shares += 1 / static_cast<double>(lambda[i]), ++told;
    out.measured = told > 0 ? static_cast<double>(told) / shares : std::nan("");
    const Extent trim = extentOf(drive.columnIfAny("short_trim"), span);
    out.shortTrim_pct = trim.mean, out.longTrim_pct = mean("long_trim");
    out.shortTrim2_pct = mean("short_trim_2"), out.longTrim2_pct = mean("long_trim_2");
    constexpr double kSwings_pct = 0.3, kHeld_pct = 3;
    out.closed = trim.count > 0 && (trim.range() > kSwings_pct || std::abs(trim.mean) > kHeld_pct);
    out.meter_kgh = mean("meter_airflow");
    out.density_mg = mean("air_by_density"), out.metered_mg = mean("air_by_meter"),
    out.air_mg = mean("air_per_cylinder");
    out.byMeter = std::abs(out.metered_mg - out.air_mg) < std::abs(out.density_mg - out.air_mg);
    out.throttle_pct = mean("throttle"), out.target_pct = mean("throttle_target");
    out.road_kmh = mean("vehicle_speed");
    out.pulse_ms = mean("injector_pulse") / 1000;
    out.battery_V = mean("battery");
    out.coolant_C = mean("coolant"), out.intake_C = mean("intake_temperature");
    out.idle = out.road_kmh < 3 && !(mean("pedal") > 1);
    return out;
}

}  // namespace

std::vector<SteadyRow> steadyRows(const Drives& drives) {
    std::vector<SteadyRow> out;
    for (size_t d = 0; d < drives.size(); ++d) {
        const Sampled& drive = drives[d];
        const auto time = drive.time_s();
        const Column speed = drive.columnIfAny("engine_speed"), pressure = drive.columnIfAny("manifold_pressure");
        const Column asked = drive.columnIfAny("lambda_asked"), cut = drive.columnIfAny("fuel_cut");
        const Column coolant = drive.columnIfAny("coolant"), flow = drive.columnIfAny("airflow");
        if (speed.empty() || (pressure.empty() && flow.empty())) continue;
        const Column& load = pressure.empty() ? flow : pressure;
        const double gap_s = spanGap_s(time);
        Held held;
        size_t begin = 0;
        double cut_s = -kAfterCut_s;
        for (size_t i = 0; i < time.size(); ++i) {
            if (valueAt(cut, i) > 0) cut_s = time[i];
            const double n = valueAt(speed, i), p = valueAt(load, i), a = valueAt(asked, i);
            const bool counts = n > kRuns_rpm && !(valueAt(coolant, i) < kWarm_C) && time[i] - cut_s >= kAfterCut_s &&
                                (i == 0 || time[i] - time[i - 1] <= gap_s);
            if (!counts || !held.still(n, p, a)) {
                held = {counts ? n : std::nan(""), p, a, time[i]};
                begin = i;
                continue;
            }
            if (time[begin] < held.since_s + kBefore_s) begin = i;
            if (time[i] - time[begin] < kRow_s) continue;
            out.push_back(meansOf(drive, d, {begin, i + 1}));
            // What follows is held against where it is now: a slow drift is no motion.
            held.speed = n, held.pressure = p, held.asked = a;
            begin = i;
        }
    }
    return out;
}

Line lineThrough(const std::vector<double>& x, const std::vector<double>& y) {
    constexpr size_t kFewest = 4;
    constexpr double kHuber = 1.345;
    constexpr int kPasses = 6;
    Line out;
    std::vector<double> weight(x.size(), 1);
    for (size_t i = 0; i < x.size(); ++i) {
        if (!std::isfinite(x[i]) || !std::isfinite(y[i])) weight[i] = 0;
        out.rows += weight[i] > 0 ? 1 : 0;
    }
    if (out.rows < kFewest) return out;
    for (int pass = 0; pass < kPasses; ++pass) {
        double w = 0, sx = 0, sy = 0;
        for (size_t i = 0; i < x.size(); ++i)
            if (weight[i] > 0) w += weight[i], sx += weight[i] * x[i], sy += weight[i] * y[i];
        const double mx = sx / w, my = sy / w;
        double xx = 0, xy = 0;
        for (size_t i = 0; i < x.size(); ++i)
            if (weight[i] > 0) xx += weight[i] * (x[i] - mx) * (x[i] - mx), xy += weight[i] * (x[i] - mx) * (y[i] - my);
        if (!(xx > 0)) return out;
        out.slope = xy / xx, out.at = my - out.slope * mx;
        std::vector<double> sizes;
        double squares = 0;
        for (size_t i = 0; i < x.size(); ++i)
            if (weight[i] > 0) {
                const double rest = y[i] - out(x[i]);
                sizes.push_back(std::abs(rest)), squares += weight[i] * rest * rest;
            }
        const auto middle = sizes.begin() + static_cast<long>(sizes.size() / 2);
        std::nth_element(sizes.begin(), middle, sizes.end());
        const double robust = std::max(*middle / 0.6745, 1e-9);
        out.spread = std::sqrt(squares / std::max(1.0, w - 2));
        out.slopeDoubt = out.spread / std::sqrt(xx);
        out.atDoubt = out.spread * std::sqrt(1 / w + mx * mx / xx);
        for (size_t i = 0; i < x.size(); ++i)
            if (weight[i] > 0) weight[i] = std::min(1.0, kHuber * robust / std::max(std::abs(y[i] - out(x[i])), 1e-12));
    }
    return out;
}

}  // namespace brusk::evidence
