// Two loops that drive each other to opposite ends.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/Looks.h"

namespace brusk::evidence::checks {

void banksCrossed(const Looked& at, Found& out) {
    constexpr double kFar_pct = 6, kLong_s = 4;
    Finding finding;
    double apart_pct = 0;
    for (size_t d = 0; d < at.drives.size(); ++d) {
        const Sampled& drive = at.drives[d];
        const auto time = drive.time_s();
        const Column one = drive.columnIfAny("short_trim"), two = drive.columnIfAny("short_trim_2");
        if (one.empty() || two.empty()) continue;
        const auto opposite = [&](size_t i) {
            return (one[i] > kFar_pct && two[i] < -kFar_pct) || (one[i] < -kFar_pct && two[i] > kFar_pct);
        };
        for (const Span& span : spansWhere(time, opposite, kLong_s, 0.2)) {
            finding.where.push_back({d, time[span.begin], time[span.end - 1]});
            apart_pct = std::max(apart_pct, std::abs(extentOf(one, span).mean - extentOf(two, span).mean));
        }
    }
    if (finding.where.empty()) return;
    finding.seriousness = Seriousness::Warn;
    finding.certainty = 0.9;
    finding.seen = say("finding.banks-crossed", "The trims of the banks run to opposite ends, {0} % apart.",
                       {formatNumber(apart_pct, 0)});
    finding.means = {"the narrowbands' plugs are exchanged", "one bank lacks fuel, the other has too much"};
    finding.todo = "Exchange the plugs of the two narrowbands and drive again, gently.";
    finding.place = {"Car", "", std::nullopt};
    finding.figures = {{"short_trim_pct", apart_pct}};
    finding.lanes = {"short_trim", "short_trim_2", "narrowband", "narrowband_2"};
    out.push_back(std::move(finding));
}

}  // namespace brusk::evidence::checks
