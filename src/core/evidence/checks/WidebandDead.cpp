// A wideband that says nothing, or always the same, while the engine works.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/Looks.h"

namespace brusk::evidence::checks {

void widebandDead(const Looked& at, Found& out) {
    constexpr double kLong_s = 15, kStill = 0.002, kRuns_rpm = 500, kMoves_kPa = 15, kBehindCut_s = 1.5, kWarm_s = 60;
    Finding finding;
    double long_s = 0;
    for (size_t d = 0; d < at.drives.size(); ++d) {
        const Sampled& drive = at.drives[d];
        const auto time = drive.time_s();
        const Column lambda = drive.columnIfAny("lambda_measured"), speed = drive.columnIfAny("engine_speed");
        const Column pressure = drive.columnIfAny("manifold_pressure"), cut = drive.columnIfAny("fuel_cut");
        const Column ready = drive.columnIfAny("wideband_ready");
        if (lambda.empty() || speed.empty()) continue;
        double cut_s = -kBehindCut_s, began_s = -1;
        float held = std::nanf("");
        const auto still = [&](size_t i) {
            if (valueAt(cut, i) > 0) cut_s = time[i];
            if (!(speed[i] > kRuns_rpm)) return began_s = -1, false;
            if (began_s < 0) began_s = time[i];
            // One that warms up says so, and is warm after a while.
            if (valueAt(ready, i) == 0 && time[i] - began_s < kWarm_s) return false;
            if (std::isnan(lambda[i])) return true;
            // Air of a cut stands at the end of its scale, and rightly so.
            if (time[i] - cut_s < kBehindCut_s) return !(std::abs(lambda[i] - held) > static_cast<float>(kStill));
            const bool same = std::abs(lambda[i] - held) <= static_cast<float>(kStill);
            held = lambda[i];
            return same;
        };
        for (const Span& span : spansWhere(time, still, kLong_s)) {
            const Extent is = extentOf(lambda, span);
            if (is.count > 0 && is.range() > 2 * kStill) continue;  // it crept
            if (!pressure.empty() && extentOf(pressure, span).range() < kMoves_kPa) continue;
            const Stretch where{d, time[span.begin], time[span.end - 1]};
            finding.where.push_back(where);
            finding.taints.push_back({"lambda_measured", where});
            long_s += where.to_s - where.from_s;
        }
    }
    if (finding.where.empty()) return;
    finding.seriousness = Seriousness::Warn;
    finding.certainty = 0.95;
    finding.seen = say("finding.wideband-dead", "The wideband says the same for {0} s while the engine works.",
                       {formatNumber(long_s, 0)});
    finding.means = {"the wideband is dead, or its plug is off", "its frames come, and nothing is measured"};
    finding.todo = "Look at the wideband's supply and plug, and drive again; nothing is learned from this stretch.";
    finding.place = {"Drive", "", std::nullopt};
    finding.figures = {{"length_s", long_s}};
    finding.lanes = {"lambda_measured", "lambda_asked", "short_trim", "manifold_pressure"};
    out.push_back(std::move(finding));
}

}  // namespace brusk::evidence::checks
