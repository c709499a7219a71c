// Air that leaks in before the wideband alone: lean where little flows, right where much does.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/Looks.h"

namespace brusk::evidence::checks {

ByFlow widebandByFlow(const Looked& at) {
    std::vector<double> slow, off;
    for (const SteadyRow& row : at.steady) {
        if (!row.closed || std::abs(row.asked - 1) > 0.02 || std::isnan(row.measured) || row.nearStop()) continue;
        slow.push_back(1 / row.airflow_kgh), off.push_back(row.off() - 1);
    }
    if (slow.empty()) return {};
    const auto [least, most] = std::minmax_element(slow.begin(), slow.end());
    return {lineThrough(slow, off), *least, *most};
}

void widebandLeak(const Looked& at, Found& out) {
    constexpr double kAtIdle = 0.045, kSure = 5, kSame = 0.03;
    const auto [line, least, most] = widebandByFlow(at);
    if (line.rows < 8 || !(line.slope > 0) || line.sureness() < kSure) return;
    const double atSlow = line(most), grows = line.slope * (most - least);
    if (atSlow < kAtIdle || grows < kAtIdle || std::abs(line.at) > std::max(kSame, 0.2 * atSlow)) return;
    constexpr double kPerGram_s = 3.6;
    Finding finding;
    finding.seriousness = Seriousness::Warn;
    finding.certainty = 0.95;
    finding.seen =
        say("finding.wideband-leak",
            "The wideband alone reads {0} % lean at idle's airflow and right at high flow: as {1} g/s of air would.",
            {formatNumber(100 * atSlow, 0), formatNumber(line.slope / kPerGram_s, 1)});
    finding.means = {"air leaks in at a joint before the wideband", "the wideband's bung or gasket leaks"};
    finding.todo = "Look for soot at flanges and bung; nothing is learned from the wideband at low flow.";
    finding.place = {"Drive", "", std::nullopt};
    finding.figures = {{"leak_gs", line.slope / kPerGram_s}};
    finding.where = wholeDrives(at);
    constexpr double kNoMatter = 0.01;  // of the mixture
    for (const Stretch& where : stretchesBelow(at, "airflow", line.slope / kNoMatter))
        finding.taints.push_back({"lambda_measured", where});
    finding.lanes = {"lambda_measured", "lambda_asked", "narrowband", "airflow"};
    out.push_back(std::move(finding));
}

}  // namespace brusk::evidence::checks
