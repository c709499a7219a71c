// ln of the fuel that is asked for besides, over one suspect at a time and a constant (flow, filling, fuel).
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/Blame.h"

#include <map>

#include "core/evidence/checks/Models.h"
#include "core/evidence/checks/Shared.h"

namespace brusk::evidence::checks {

namespace {

struct Point {
    double share, flow_kgh, pressure_kPa;
};

}  // namespace

namespace {

Blamed blame(const Looked& at) {
    constexpr double kRail_kPa = 300, kLarge = 0.065, kLean = 0.1, kSure = 3.5, kExplains = 1.4, kWeather_kPa = 100,
                     kDraws_kgh = 2, kAtIdle = 0.02;
    constexpr double kCell_kPa = 12, kWarm_C = 60, kLong_s = 3;
    constexpr size_t kFewest = 4;
    Blamed out;
    // A model of the air that is off asks for fuel too; that is another check's.
    if (modelsOf(at).blame != Models::Blame::None) return out;
    // Cells of pressure and flow, so that a minute of idle counts no more than a pull.
    std::map<std::pair<int, int>, std::vector<Point>> cells;
    const auto add = [&](double share, double flow_kgh, double pressure_kPa) {
        if (!std::isfinite(share) || !(flow_kgh > kDraws_kgh)) return;
        cells[{static_cast<int>(pressure_kPa / kCell_kPa), static_cast<int>(2 * std::log2(flow_kgh))}].push_back(
            {share, flow_kgh, pressure_kPa});
    };
    for (const SteadyRow& row : at.steady) {
        const bool whole = !row.closed || row.nearStop();
        if (!whole || row.measured > 0)
            add(std::log(whole ? row.ratio() : row.trim()), row.airflow_kgh, row.pressure_kPa);
    }
    for (const Of& pull : eventsOfKind(at, roles::kPull)) {
        if (pull.event->figure("coolant_C") < kWarm_C || pull.event->to_s - pull.event->from_s < kLong_s) continue;
        const Sampled& drive = at.drives[pull.drive];
        const Span later = samplesIn(drive.time_s(), (pull.event->from_s + pull.event->to_s) / 2, pull.event->to_s);
        const auto mean = [&](roles::Role role) { return extentOf(drive.columnIfAny(role), later).mean; };
        add(std::log(mean("lambda_measured") / mean("lambda_asked") * (1 + mean("long_trim") / 100)), mean("airflow"),
            mean("manifold_pressure"));
    }
    std::vector<double> asked, slow, rail, pressure;
    for (const auto& cell : cells) {
        const std::vector<Point>& points = cell.second;
        const auto middleOf = [&](double Point::*part) {
            std::vector<double> all;
            all.reserve(points.size());
            for (const Point& point : points)
                all.push_back(point.*part);
            return medianOf(all);
        };
        asked.push_back(middleOf(&Point::share));
        slow.push_back(1 / middleOf(&Point::flow_kgh));
        pressure.push_back(middleOf(&Point::pressure_kPa));
        rail.push_back(-0.5 * std::log(std::max(0.1, 1 + (kWeather_kPa - pressure.back()) / kRail_kPa)));
    }
    if (asked.size() < kFewest) return out;
    const double middle = medianOf(asked);
    double squares = 0;
    for (const double one : asked)
        squares += (one - middle) * (one - middle);
    const double unexplained = std::sqrt(squares / static_cast<double>(asked.size()));
    const Line flow = lineThrough(slow, asked), fuel = lineThrough(rail, asked);
    const auto [fast, idle] = std::minmax_element(slow.begin(), slow.end());
    const auto [low, high] = std::minmax_element(rail.begin(), rail.end());
    const auto [least, most] = std::minmax_element(pressure.begin(), pressure.end());
    const bool byRail = fuel.spread <= flow.spread;
    const Line& best = byRail ? fuel : flow;
    const double reaches = best.slope * (byRail ? *high - *low : *idle - *fast);
    if (std::abs(reaches) < (byRail ? kLarge : kLean) || best.sureness() < kSure ||
        unexplained < kExplains * best.spread)
        return out;
    out.slope = best.slope;
    out.atLowFlow = std::exp(flow(*idle)) - 1, out.atHighFlow = std::exp(flow(*fast)) - 1;
    out.least = *least, out.most = *most;
    out.atLeast = std::exp(fuel(*low)) - 1, out.atMost = std::exp(fuel(*high)) - 1;
    if (byRail) {
        // A rail over the weather has a slope of one; an air map that is off has any.
        if (best.slope > 0.65 && best.slope < 1.35) out.cause = Blamed::Cause::Regulator;
    } else if (std::abs(out.atLowFlow) > kAtIdle && (out.atLowFlow > 0) == (best.slope > 0))
        // What comes besides shows where little flows; what grows with the flow is something else.
        out.cause = best.slope > 0 ? Blamed::Cause::AirInExhaust : Blamed::Cause::FuelBesides;
    return out;
}

}  // namespace

const Blamed& blameOf(const Looked& at) {
    return once(at.shared.blamed, [&] { return blame(at); });
}

}  // namespace brusk::evidence::checks
