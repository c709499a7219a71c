// A manifold pressure that stands still, or below what any engine draws, while the engine works.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/Looks.h"

namespace brusk::evidence::checks {

void pressureDead(const Looked& at, Found& out) {
    constexpr double kLong_s = 8, kStill_kPa = 0.3, kLeast_kPa = 8, kMost_kPa = 450, kMoves_pct = 3, kMoves_rpm = 300;
    Finding finding;
    double long_s = 0, at_kPa = 0;
    for (size_t d = 0; d < at.drives.size(); ++d) {
        const Sampled& drive = at.drives[d];
        const auto time = drive.time_s();
        const Column pressure = drive.columnIfAny("manifold_pressure"), speed = drive.columnIfAny("engine_speed");
        const Column throttle = drive.columnIfAny("throttle"), cut = drive.columnIfAny("fuel_cut");
        if (pressure.empty() || speed.empty()) continue;
        float held = NAN;
        const auto still = [&](size_t i) {
            if (!(speed[i] > 500) || valueAt(cut, i) > 0) return false;  // a cut draws hard, and rightly so
            const bool same = std::isnan(pressure[i]) || std::abs(pressure[i] - held) < static_cast<float>(kStill_kPa);
            if (!same) held = pressure[i];
            return same || pressure[i] < kLeast_kPa || pressure[i] > kMost_kPa;
        };
        for (const Span& span : spansWhere(time, still, kLong_s)) {
            const Extent is = extentOf(pressure, span);
            const bool outside = is.count == 0 || is.most < kLeast_kPa || is.least > kMost_kPa;
            const bool works =
                extentOf(throttle, span).range() > kMoves_pct || extentOf(speed, span).range() > kMoves_rpm;
            if (!outside && !works) continue;
            finding.where.push_back({d, time[span.begin], time[span.end - 1]});
            finding.taints.push_back({"manifold_pressure", finding.where.back()});
            long_s += time[span.end - 1] - time[span.begin], at_kPa = is.mean;
        }
    }
    if (finding.where.empty()) return;
    finding.seriousness = Seriousness::Warn;
    finding.certainty = 0.95;
    finding.seen =
        say("finding.pressure-dead", "The manifold pressure stays at {0} kPa for {1} s while the engine works.",
            {formatNumber(at_kPa, 0), formatNumber(long_s, 0)});
    finding.means = {"the pressure sensor is dead, or its plug is off", "its hose is closed"};
    finding.todo = "Look at the sensor's plug, supply and hose; nothing is learned from this stretch.";
    finding.place = {"Car", "", std::nullopt};
    finding.figures = {{"length_s", long_s}, {"pressure_kpa", at_kPa}};
    finding.lanes = {"manifold_pressure", "throttle", "engine_speed", "airflow"};
    out.push_back(std::move(finding));
}

}  // namespace brusk::evidence::checks
