// F = (m + rotating) dv/dt + the road's; M = F v / (omega efficiency) + J d omega / dt.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/RoadTorque.h"

#include <numbers>

#include "core/evidence/Spans.h"

namespace brusk::evidence {
namespace {

constexpr double kGravity = 9.81, kStep_rpm = 100, kWindow_s = 0.35;

/// Value and slope at a moment, of a quadratic through what lies within the window.
struct Local {
    double value = std::nan(""), slope = std::nan(""), slopeDoubt = 0;
};
Local localAt(std::span<const double> time, Column column, double at_s, double half_s) {
    const Span span = samplesIn(time, at_s - half_s, at_s + half_s);
    // Sums about the moment; even and odd powers separate where samples lie evenly.
    double s0 = 0, s1 = 0, s2 = 0, s3 = 0, s4 = 0, y0 = 0, y1 = 0, y2 = 0;
    for (size_t i = span.begin; i < span.end; ++i) {
        const double t = time[i] - at_s, y = valueAt(column, i);
        if (std::isnan(y)) continue;
        s0 += 1, s1 += t, s2 += t * t, s3 += t * t * t, s4 += t * t * t * t;
        y0 += y, y1 += y * t, y2 += y * t * t;
    }
    Local out;
    if (s0 < 5) return out;
    const double det = s0 * (s2 * s4 - s3 * s3) - s1 * (s1 * s4 - s2 * s3) + s2 * (s1 * s3 - s2 * s2);
    if (!(std::abs(det) > 1e-12)) return out;
    out.value = (y0 * (s2 * s4 - s3 * s3) - s1 * (y1 * s4 - s3 * y2) + s2 * (y1 * s3 - s2 * y2)) / det;
    out.slope = (s0 * (y1 * s4 - s3 * y2) - y0 * (s1 * s4 - s2 * s3) + s2 * (s1 * y2 - y1 * s2)) / det;
    const double bend = (s0 * (s2 * y2 - y1 * s3) - s1 * (s1 * y2 - y1 * s2) + y0 * (s1 * s3 - s2 * s2)) / det;
    double squares = 0;
    for (size_t i = span.begin; i < span.end; ++i) {
        const double t = time[i] - at_s, rest = valueAt(column, i) - (out.value + out.slope * t + bend * t * t);
        if (!std::isnan(rest)) squares += rest * rest;
    }
    out.slopeDoubt = std::sqrt(squares / std::max(1.0, s0 - 3) / s2);
    return out;
}

/// Engine over road speed in the gear of a pull, rpm / (km/h): where neither changes, for road speed comes late.
double ratioOf(const Sampled& drive, const FoundEvent& pull) {
    constexpr double kSame = 0.08, kStill_kmhs = 0.8, kOver_s = 0.5;
    const auto time = drive.time_s();
    const Column speed = drive.columnIfAny("engine_speed"), road = drive.columnIfAny("vehicle_speed");
    const Span span = samplesIn(time, pull.from_s, pull.to_s);
    std::vector<double> inPull, still;
    for (size_t i = span.begin; i < span.end; ++i)
        inPull.push_back(valueAt(speed, i) / valueAt(road, i));
    std::erase_if(inPull, [](double v) { return !std::isfinite(v); });
    if (inPull.empty()) return std::nan("");
    std::nth_element(inPull.begin(), inPull.begin() + static_cast<long>(inPull.size() / 2), inPull.end());
    const double rough = inPull[inPull.size() / 2];
    size_t before = 0;
    for (size_t i = 0; i < time.size(); ++i) {
        while (time[i] - time[before] > kOver_s)
            ++before;
        const double ratio = valueAt(speed, i) / valueAt(road, i);
        if (road[i] > 20 && std::abs(ratio / rough - 1) < kSame && before < i &&
            std::abs(static_cast<double>(road[i] - road[before])) < kStill_kmhs * (time[i] - time[before]))
            still.push_back(ratio);
    }
    if (still.size() < 20) return rough;
    std::nth_element(still.begin(), still.begin() + static_cast<long>(still.size() / 2), still.end());
    return still[still.size() / 2];
}

/// The coast-down in neutral that follows a pull: foot up, engine away from the gear's ratio, no brake.
std::optional<Stretch> coastAfter(const Sampled& drive, const FoundEvent& pull, double ratio) {
    constexpr double kWithin_s = 120, kLeast_s = 6, kOff = 0.12, kBrakes_kmhs = 6, kOver_s = 1, kFoot_pct = 50;
    const auto time = drive.time_s();
    const Column speed = drive.columnIfAny("engine_speed"), road = drive.columnIfAny("vehicle_speed");
    const Column pedal = drive.columnIfAny("pedal");
    size_t before = 0;
    const auto coasts = [&](size_t i) {
        while (time[i] - time[before] > kOver_s)
            ++before;
        if (time[i] < pull.to_s || time[i] > pull.to_s + kWithin_s || !(road[i] > 12)) return false;
        const bool free = std::abs(valueAt(speed, i) / valueAt(road, i) / ratio - 1) > kOff;
        const double slows = valueAt(road, before) - valueAt(road, i);
        return free && !(valueAt(pedal, i) > 2) && slows > -0.2 && slows < kBrakes_kmhs;
    };
    for (const Span& span : spansWhere(time, coasts, kLeast_s, 0.3)) {
        // Another pull between them was driven on another stretch.
        if (extentOf(pedal, samplesIn(time, pull.to_s + 1, time[span.begin])).most > kFoot_pct) return std::nullopt;
        return Stretch{0, time[span.begin], time[span.end - 1]};
    }
    return std::nullopt;
}

}  // namespace

double TorqueCurve::power_kW(size_t i) const {
    return torque_Nm[i] * speed_rpm[i] * std::numbers::pi / 30 / 1000;
}

size_t TorqueCurve::peak() const {
    return static_cast<size_t>(std::max_element(torque_Nm.begin(), torque_Nm.end()) - torque_Nm.begin());
}

size_t TorqueCurve::strongest() const {
    size_t out = 0;
    for (size_t i = 1; i < torque_Nm.size(); ++i)
        if (power_kW(i) > power_kW(out)) out = i;
    return out;
}

std::optional<TorqueCurve> roadTorque(const Sampled& drive, const FoundEvent& pull, const RoadFacts& facts) {
    constexpr double kEdge_s = 0.5, kCoastWindow_s = 1.5, kRatioDoubt = 0.003, kKmh = 3.6;
    constexpr double kCoarse = 3, kFine_rpms = 5, kLate = 0.05;
    constexpr size_t kFewest = 5;
    const auto time = drive.time_s();
    const Column speed = drive.columnIfAny("engine_speed"), road = drive.columnIfAny("vehicle_speed");
    if (speed.empty() || road.empty()) return std::nullopt;
    const double ratio = ratioOf(drive, pull);
    if (!(ratio > 1)) return std::nullopt;
    TorqueCurve out;
    out.coast = coastAfter(drive, pull, ratio);
    out.known = out.coast.has_value() || facts.grade.has_value();
    // Deceleration of the coast-down by road speed, m/s and m/s2.
    std::vector<std::pair<double, double>> coast;
    if (out.coast)
        for (double t = out.coast->from_s + kCoastWindow_s; t < out.coast->to_s - kCoastWindow_s; t += 0.25) {
            const Local local = localAt(time, road, t, kCoastWindow_s);
            if (!std::isnan(local.slope)) coast.emplace_back(local.value / kKmh, -local.slope / kKmh);
        }
    std::vector<double> v, a;
    for (const auto& [coasting, slows] : coast)
        v.push_back(coasting * coasting), a.push_back(slows);
    // Tyres and grade are a constant, air goes with the square: the line holds between what was seen and a little
    // beyond.
    const Line line = lineThrough(v, a);
    const double whole_kg = facts.mass_kg * facts.rotating;
    double next_rpm = 0;
    for (double t = pull.from_s + kEdge_s; t < pull.to_s - kEdge_s; t += 0.02) {
        const Local n = localAt(time, speed, t, kWindow_s);
        if (std::isnan(n.slope) || n.value < next_rpm) continue;
        next_rpm = (std::floor(n.value / kStep_rpm) + 1) * kStep_rpm;
        // The wheels tell how the car gains speed; where they are told coarsely or late, the engine does better.
        const Local wheels = localAt(time, road, t, kWindow_s);
        const bool byWheels = wheels.slopeDoubt * ratio < kCoarse * n.slopeDoubt + kFine_rpms &&
                              std::abs(wheels.value * ratio / n.value - 1) < kLate;
        const double alpha = n.slope * std::numbers::pi / 30;
        const double ms = (byWheels ? wheels.value : n.value / ratio) / kKmh;
        const double gains = (byWheels ? wheels.slope : n.slope / ratio) / kKmh;
        const double air_N = 0.5 * facts.airDensity_kgm3 * facts.dragArea_m2 * ms * ms;
        const double weight_N = facts.mass_kg * kGravity;
        double resists_N = 0, doubt2 = 0;
        if (out.coast && line.rows >= 4) {
            resists_N = whole_kg * line(ms * ms);
            doubt2 = std::pow(whole_kg * std::hypot(line.atDoubt, line.slopeDoubt * ms * ms), 2);
        } else {
            resists_N = air_N + weight_N * (facts.rolling + facts.grade.value_or(0));
            const double wind_N = facts.airDensity_kgm3 * facts.dragArea_m2 * ms * facts.windDoubt_ms;
            constexpr double kUnknownGrade = 0.02;
            const double slope = facts.grade ? facts.gradeDoubt : kUnknownGrade;
            doubt2 = std::pow(air_N * facts.dragDoubt, 2) + wind_N * wind_N +
                     std::pow(weight_N * facts.rollingDoubt, 2) + std::pow(weight_N * slope, 2);
        }
        const double force_N = whole_kg * gains + resists_N;
        const double arm_m = 30 / std::numbers::pi / ratio / kKmh;  // of the gear: a clutch may give a little
        const double torque_Nm = force_N * arm_m / facts.efficiency + facts.inertia_kgm2 * alpha;
        // With a coast-down the mass scales all of it; without, what gains speed or climbs.
        const double byMass_N = (out.coast ? force_N : whole_kg * gains + weight_N * facts.grade.value_or(0)) *
                                facts.massDoubt_kg / facts.mass_kg;
        const double bySlope_N = whole_kg * (byWheels ? wheels.slopeDoubt : n.slopeDoubt / ratio) / kKmh;
        doubt2 += byMass_N * byMass_N + bySlope_N * bySlope_N +
                  std::pow(force_N * facts.efficiencyDoubt / facts.efficiency, 2) +
                  std::pow(2 * force_N * kRatioDoubt, 2);
        out.speed_rpm.push_back(n.value);
        out.time_s.push_back(t);
        out.torque_Nm.push_back(torque_Nm);
        out.doubt_Nm.push_back(
            std::hypot(std::sqrt(doubt2) * arm_m / facts.efficiency, facts.inertiaDoubt_kgm2 * alpha));
    }
    if (out.torque_Nm.size() < kFewest) return std::nullopt;
    const Span span = samplesIn(time, pull.from_s, pull.to_s);
    out.iso1585 = iso1585Factor(extentOf(drive.columnIfAny("barometric_pressure"), span).mean,
                                extentOf(drive.columnIfAny("intake_temperature"), span).mean);
    return out;
}

std::optional<double> iso1585Factor(double dryPressure_kPa, double intake_C) {
    constexpr double kLeast = 0.93, kMost = 1.07;
    const double factor = std::pow(99 / dryPressure_kPa, 1.2) * std::pow((intake_C + 273.15) / 298.15, 0.6);
    return factor >= kLeast && factor <= kMost ? std::optional(factor) : std::nullopt;
}

}  // namespace brusk::evidence
