// With the loop closed, air in use times trims is what the fuel says; each model is held against that.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/Models.h"

#include "core/evidence/checks/Shared.h"

#include <map>

namespace brusk::evidence::checks {

namespace {

Models compare(const Looked& at) {
    constexpr double kApart = 0.055, kSurer = 0.02, kUsual = 0.02, kRight = 0.05, kSure = 5, kShaped = 0.12,
                     kBends = 0.1, kBetter = 0.85, kShare = 0.07, kDensity = 0.065;
    constexpr size_t kFewest = 8;
    constexpr double kWeather_kPa = 100, kChoked = 0.53;
    constexpr double kIdles_rpm = 1100;  // rolling in neutral it idles as well
    constexpr size_t kDriven = 5;
    struct Row {
        double density, meter, slow, root, thin;
        bool idle;
    };
    // What a leak behind the throttle draws: all it can until the manifold comes near the weather.
    const auto draws = [&](double pressure_kPa) {
        const double share = std::min(1.0, pressure_kPa / kWeather_kPa);
        return share < kChoked ? 1.0 : 2 * std::sqrt(std::max(0.0, share * (1 - share)));
    };
    std::vector<Row> rows;
    for (const SteadyRow& row : at.steady) {
        if (!row.closed || std::abs(row.asked - 1) > 0.02 || !(row.density_mg > 0) || !(row.metered_mg > 0)) continue;
        // At its stop the loop tells only a part; the wideband has the rest, where there is one.
        const double fuel = row.trim() * (row.nearStop() && row.measured > 0 ? row.off() : 1);
        // A meter usually reads a little much where the air column swings.
        rows.push_back({std::log(fuel * row.air_mg / row.density_mg),
                        std::log(fuel * row.air_mg / row.metered_mg) + kUsual,
                        draws(row.pressure_kPa) / row.airflow_kgh, 1 / std::sqrt(row.airflow_kgh), 1 / row.pressure_kPa,
                        row.idle || row.speed_rpm < kIdles_rpm});
    }
    Models out;
    out.rows = rows.size();
    if (rows.size() < kFewest) return out;
    std::vector<double> density, meter, slow, root, apart, between;
    for (const Row& row : rows) {
        slow.push_back(row.slow), root.push_back(row.root), between.push_back(row.density - row.meter);
        // Sizes where the air column stands still.
        if (!row.idle) density.push_back(row.density), meter.push_back(row.meter), apart.push_back(between.back());
    }
    const Line leak = lineThrough(slow, between), curve = lineThrough(root, between);
    const auto [least, most] = std::minmax_element(slow.begin(), slow.end());
    const double grows = -leak.slope * (*most - *least);
    std::vector<double> still, alike, thin;
    for (const Row& row : rows)
        still.push_back(row.density), alike.push_back(row.meter), thin.push_back(row.thin);
    const double alsoDensity = lineThrough(slow, still).slope * (*most - *least);
    out.bends = alsoDensity;
    if (density.size() < kDriven) {
        // Too little to blame anything by; what idle says is said.
        std::vector<double> all;
        all.reserve(rows.size());
        for (const Row& row : rows)
            all.push_back(row.meter);
        out.meterOff = std::exp(-medianOf(all)) - 1;
        return out;
    }
    const double d = medianOf(density), m = medianOf(meter), r = medianOf(apart);
    out.meterOff = std::exp(-m) - 1, out.densityOff = std::exp(-d) - 1;
    const bool shaped =
        std::abs(grows) > kShaped && leak.sureness() > kSure && std::abs(alsoDensity) < 0.5 * std::abs(grows);
    if (shaped && grows > 0 && std::abs(leak(*least)) < kRight + 0.15 * grows && leak.spread <= 1.1 * curve.spread) {
        out.blame = Models::Blame::LeakIn;
        out.leak_gs = -leak.slope / 3.6;
        out.atIdle = 1 - std::exp(-grows);
        return out;
    }
    // An offset of the sensor weighs most where the pressure is low.
    const Line offset = lineThrough(thin, still);
    const auto [dense, thinnest] = std::minmax_element(thin.begin(), thin.end());
    const double bends = offset.slope * (*thinnest - *dense);
    if (std::abs(bends) > kBends && offset.sureness() > kSure &&
        offset.spread < kBetter * lineThrough(slow, still).spread &&
        std::abs(lineThrough(thin, alike).slope * (*thinnest - *dense)) < 0.5 * std::abs(bends)) {
        out.blame = Models::Blame::Pressure;
        return out;
    }
    if (std::abs(r) < kApart && !shaped) return out;
    std::vector<double> rest;
    rest.reserve(density.size());
    for (const double one : density)
        rest.push_back(std::abs(one - d));
    if (std::abs(d) > std::abs(m) + kSurer && std::abs(d) > kDensity && std::abs(r) > kShare && !shaped)
        out.blame = medianOf(rest) < std::max(0.02, 0.4 * std::abs(d)) ? Models::Blame::Pressure : Models::Blame::None;
    else if (std::abs(m) > std::abs(d) + kSurer || shaped)
        out.blame = shaped                 ? Models::Blame::Meter
                    : std::abs(r) > kShare ? Models::Blame::MeterShare
                                           : Models::Blame::None;
    return out;
}

}  // namespace

const Models& modelsOf(const Looked& at) {
    return once(at.shared.models, [&] { return compare(at); });
}

namespace {

double latenessOf(const Looked& at) {
    constexpr double kOver_s = 0.25, kMoves_s = 1.2, kNoBoost_kPa = 95, kZones = 2;
    constexpr size_t kFewest = 25;
    std::map<int, std::pair<std::vector<double>, std::vector<double>>> zones;  // by airflow: rising, falling
    for (size_t d = 0; d < at.drives.size(); ++d) {
        const Sampled& drive = at.drives[d];
        const auto time = drive.time_s();
        const Column metered = drive.columnIfAny("air_by_meter"), density = drive.columnIfAny("air_by_density");
        const Column speed = drive.columnIfAny("engine_speed"), coolant = drive.columnIfAny("coolant");
        const Column pressure = drive.columnIfAny("manifold_pressure");
        if (metered.empty() || density.empty() || speed.empty()) continue;
        size_t before = 0;
        for (size_t i = 0; i < time.size(); ++i) {
            while (time[i] - time[before] > kOver_s)
                ++before;
            if (!(speed[i] > 900) || valueAt(coolant, i) < 50 || before == i || !(metered[i] > 0) || !(density[i] > 0))
                continue;
            // In boost the pipe before the throttle fills too.
            if (valueAt(pressure, i) > kNoBoost_kPa || valueAt(pressure, before) > kNoBoost_kPa) continue;
            const double moves = std::log(static_cast<double>(density[i]) / static_cast<double>(density[before])) /
                                 (time[i] - time[before]);
            if (std::abs(moves) < kMoves_s) continue;
            auto& zone = zones[static_cast<int>(kZones * std::log2(static_cast<double>(density[i] * speed[i])))];
            (moves > 0 ? zone.first : zone.second)
                .push_back(std::log(static_cast<double>(metered[i]) / static_cast<double>(density[i])));
        }
    }
    std::vector<double> late;
    for (const auto& [zone, sides] : zones)
        if (sides.first.size() >= kFewest && sides.second.size() >= kFewest)
            late.push_back(medianOf(sides.second) - medianOf(sides.first));
    return late.empty() ? 0 : medianOf(late);
}

}  // namespace

double meterLateness(const Looked& at) {
    return once(at.shared.meterLateness, [&] { return latenessOf(at); });
}

}  // namespace brusk::evidence::checks
