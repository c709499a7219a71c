// A wideband that is not warm while the engine runs.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/Looks.h"

namespace brusk::evidence::checks {

void widebandCold(const Looked& at, Found& out) {
    constexpr double kLong_s = 15, kRuns_rpm = 500;
    Finding finding;
    double long_s = 0;
    for (size_t d = 0; d < at.drives.size(); ++d) {
        const Sampled& drive = at.drives[d];
        const auto time = drive.time_s();
        const Column speed = drive.columnIfAny("engine_speed"), ready = drive.columnIfAny("wideband_ready");
        if (speed.empty() || ready.empty()) continue;
        const auto cold = [&](size_t i) { return speed[i] > kRuns_rpm && valueAt(ready, i) == 0; };
        for (const Span& span : spansWhere(time, cold, kLong_s, 1)) {
            const Stretch where{d, time[span.begin], time[span.end - 1]};
            finding.where.push_back(where);
            finding.taints.push_back({"lambda_measured", where});
            long_s += where.to_s - where.from_s;
        }
    }
    if (finding.where.empty()) return;
    finding.seriousness = Seriousness::Warn;
    finding.certainty = 0.95;
    finding.seen =
        say("finding.wideband-cold", "The wideband says for {0} s that it is not ready, while the engine runs.",
            {formatNumber(long_s, 0)});
    finding.means = {"its heater is slow, or its supply is weak", "it was switched on with the engine"};
    finding.todo = "Let it warm up before the start; look at its supply when it takes minutes.";
    finding.place = {"Drive", "", std::nullopt};
    finding.figures = {{"length_s", long_s}};
    finding.lanes = {"lambda_measured", "wideband_ready", "lambda_asked", "engine_speed"};
    out.push_back(std::move(finding));
}

}  // namespace brusk::evidence::checks
