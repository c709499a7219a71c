// No road speed while the engine pulls.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/Looks.h"

namespace brusk::evidence::checks {

void wheelDead(const Looked& at, Found& out) {
    constexpr double kStands_kmh = 1, kPulls_rpm = 1500, kFoot_pct = 15, kLong_s = 4, kInAll_s = 12, kLoad_kPa = 42;
    Finding finding;
    for (size_t d = 0; d < at.drives.size(); ++d) {
        const Sampled& drive = at.drives[d];
        const auto time = drive.time_s();
        const Column road = drive.columnIfAny("vehicle_speed"), speed = drive.columnIfAny("engine_speed");
        const Column pedal = drive.columnIfAny("pedal"), pressure = drive.columnIfAny("manifold_pressure");
        if (road.empty() || speed.empty() || pedal.empty()) continue;
        // In neutral it takes little to hold a speed.
        const auto stands = [&](size_t i) {
            return !(road[i] > kStands_kmh) && speed[i] > kPulls_rpm && pedal[i] > kFoot_pct &&
                   !(valueAt(pressure, i) < kLoad_kPa);
        };
        for (const Span& span : spansWhere(time, stands, kLong_s, 0.3))
            finding.where.push_back({d, time[span.begin], time[span.end - 1]});
    }
    double long_s = 0;
    for (const Stretch& where : finding.where)
        long_s += where.to_s - where.from_s;
    if (long_s < kInAll_s) return;
    for (const Stretch& where : finding.where)
        finding.taints.push_back({"vehicle_speed", where});
    finding.seriousness = Seriousness::Warn;
    finding.certainty = 0.95;
    finding.seen = say("finding.wheel-dead", "There is no road speed while the engine pulls, {0} times.",
                       {std::to_string(finding.where.size())});
    finding.means = {"the road speed sensor is dead", "the car stood on rollers whose wheels do not turn its sensor"};
    finding.todo = "Look at the sensor; idle, limits and gears are wrong without it.";
    finding.place = {"Car", "", roles::Role("wheel_pulses")};
    finding.lanes = {"vehicle_speed", "engine_speed", "pedal"};
    out.push_back(std::move(finding));
}

}  // namespace brusk::evidence::checks
