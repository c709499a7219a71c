// A knock sensor that failed: the controller takes one retard everywhere.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/Looks.h"

namespace brusk::evidence::checks {

void knockDeaf(const Looked& at, Found& out) {
    constexpr double kLong_s = 20, kSame_deg = 0.15, kLeast_deg = 1.5, kMoves_rpm = 800;
    Finding finding;
    double retard = 0, long_s = 0;
    for (size_t d = 0; d < at.drives.size(); ++d) {
        const Sampled& drive = at.drives[d];
        const auto time = drive.time_s();
        const Column taken = drive.columnIfAny("knock_retard"), speed = drive.columnIfAny("engine_speed");
        if (taken.empty() || speed.empty()) continue;
        float held = NAN;
        const auto same = [&](size_t i) {
            const bool as = std::abs(taken[i] - held) < static_cast<float>(kSame_deg);
            if (!as) held = taken[i];
            return as && std::abs(taken[i]) > kLeast_deg && speed[i] > 400;
        };
        for (const Span& span : spansWhere(time, same, kLong_s)) {
            // Real retard is given back within seconds, and comes only under load.
            if (extentOf(speed, span).range() < kMoves_rpm) continue;
            finding.where.push_back({d, time[span.begin], time[span.end - 1]});
            retard = extentOf(taken, span).mean, long_s += time[span.end - 1] - time[span.begin];
        }
    }
    if (finding.where.empty()) return;
    finding.seriousness = Seriousness::Warn;
    finding.certainty = 0.95;
    finding.seen =
        say("finding.knock-deaf", "The same {0}\u00b0 are taken from the spark for {1} s, whatever the engine does.",
            {formatNumber(std::abs(retard), 1), formatNumber(long_s, 0)});
    finding.means = {"the knock sensor is dead, and the controller retards to be safe",
                     "knock control is switched off"};
    finding.todo = "Look at the knock sensor's plug and torque; no spark is added while nobody listens.";
    finding.place = {"Car", "", roles::Role("knock_threshold")};
    finding.figures = {{"retard_deg", retard}};
    for (const Stretch& where : finding.where)
        finding.taints.push_back({"knock_retard", where});
    finding.lanes = {"knock_retard", "spark", "engine_speed", "manifold_pressure"};
    out.push_back(std::move(finding));
}

}  // namespace brusk::evidence::checks
