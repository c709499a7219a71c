// An airflow meter that comes late: between rising and falling air it differs from speed-density.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <map>

#include "core/evidence/checks/Looks.h"
#include "core/evidence/checks/Shared.h"

namespace brusk::evidence::checks {

namespace {

double latenessOf(const Looked& at) {
    constexpr double kOver_s = 0.25, kMoves_s = 1.2, kNoBoost_kPa = 95, kZones = 2;
    constexpr size_t kFewest = 25;
    const bool pressed = isPressed(at);
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
            if (pressed && (valueAt(pressure, i) > kNoBoost_kPa || valueAt(pressure, before) > kNoBoost_kPa)) continue;
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

bool isPressed(const Looked& at) {
    constexpr double kBoost_kPa = 115;
    for (size_t d = 0; d < at.drives.size(); ++d) {
        if (!at.drives[d].columnIfAny("boost_target_now").empty()) return true;
        const Column pressure = at.drives[d].columnIfAny("manifold_pressure");
        if (extentOf(pressure, {0, pressure.size()}).most > kBoost_kPa) return true;
    }
    return false;
}

double meterLateness(const Looked& at) {
    return once(at.shared.meterLateness, [&] { return latenessOf(at); });
}

}  // namespace brusk::evidence::checks
