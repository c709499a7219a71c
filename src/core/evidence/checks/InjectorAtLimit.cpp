// Injectors that can give no more, or no less.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/Looks.h"

namespace brusk::evidence::checks {

void injectorAtLimit(const Looked& at, Found& out) {
    constexpr double kUsual_pct = 90, kNear_pct = 1, kLeast_s = 0.2;
    // A controller keeps its own limit, and says it then.
    const double limit = parameterOf(at, "duty_limit").value_or(kUsual_pct) - kNear_pct;
    Finding finding;
    double most = 0;
    for (size_t d = 0; d < at.drives.size(); ++d) {
        const Sampled& drive = at.drives[d];
        const auto time = drive.time_s();
        const Column duty = drive.columnIfAny("injector_duty");
        if (duty.empty()) continue;
        for (const Span& span : spansWhere(
                 time, [&](size_t i) { return duty[i] > limit; }, kLeast_s, 0.1)) {
            finding.where.push_back({d, time[span.begin], time[span.end - 1]});
            most = std::max(most, extentOf(duty, span).most);
        }
    }
    if (finding.where.empty()) return;
    finding.seriousness = Seriousness::Danger;
    finding.certainty = 0.95;
    finding.seen = say("finding.injector-at-limit", "Injector duty reaches {0} %, {1} times: they can give no more.",
                       {formatNumber(most, 0), std::to_string(finding.where.size())});
    finding.means = {"the injectors are too small for this load", "fuel pressure falls, and trims make up for it"};
    finding.todo = "Ask for less boost or revs, or fit larger injectors; the mixture goes lean beyond.";
    finding.place = {"Maps", "", roles::Role("duty_limit")};
    finding.figures = {{"duty_pct", most}};
    finding.lanes = {"injector_duty", "lambda_measured", "lambda_asked", "manifold_pressure"};
    out.push_back(std::move(finding));
}

}  // namespace brusk::evidence::checks
