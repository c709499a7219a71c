// A coolant that does not get warmer, or changes as no coolant can.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/Looks.h"

namespace brusk::evidence::checks {

void coolantStuck(const Looked& at, Found& out) {
    constexpr double kCold_C = 60, kLong_s = 150, kWarms_K = 3, kRuns_rpm = 900, kJump_K = 12, kSudden_s = 0.5;
    for (size_t d = 0; d < at.drives.size(); ++d) {
        const Sampled& drive = at.drives[d];
        const auto time = drive.time_s();
        const Column coolant = drive.columnIfAny("coolant"), speed = drive.columnIfAny("engine_speed");
        if (coolant.empty() || speed.empty()) continue;
        Finding finding;
        finding.certainty = 0.95;
        finding.seriousness = Seriousness::Warn;
        finding.means = {"the coolant sensor is stuck, or its plug is off", "the thermostat never shuts"};
        finding.todo =
            "Compare it with the outside air before a cold start; warm-up and idle are wrong as long as it lies.";
        finding.place = {"Car", "", roles::Role("coolant_sensor")};
        finding.lanes = {"coolant", "engine_speed", "intake_temperature"};
        // An engine that worked for minutes is warmer than before.
        const double gap_s = spanGap_s(time);
        double worked_s = 0, from_s = time.empty() ? 0 : time.front(), was = std::nan("");
        size_t before = 0;
        for (size_t i = 1; i < time.size(); ++i) {
            while (time[i] - time[before] > kSudden_s)
                ++before;
            const double now = valueAt(coolant, i), jump = now - valueAt(coolant, before);
            if (std::abs(jump) > kJump_K) {
                finding.seen = say("finding.coolant-jumps", "Coolant changes by {0} K at once, at {1} s.",
                                   {formatNumber(jump, 0), formatNumber(time[i], 0)});
                finding.where = {{d, time[before], time.back()}};
                break;
            }
            if (std::isnan(was) || std::abs(now - was) > kWarms_K || now > kCold_C)
                was = now, worked_s = 0, from_s = time[i];
            if (speed[i] > kRuns_rpm) worked_s += std::min(time[i] - time[i - 1], gap_s);
            if (worked_s < kLong_s) continue;
            finding.seen =
                say("finding.coolant-stuck", "Coolant stays at {0} degrees though the engine works for {1} s.",
                    {formatNumber(now, 0), formatNumber(worked_s, 0)});
            finding.where = {{d, from_s, time.back()}};
            break;
        }
        if (finding.where.empty()) continue;
        finding.taints = {{"coolant", finding.where[0]}};
        out.push_back(std::move(finding));
        return;
    }
}

}  // namespace brusk::evidence::checks
