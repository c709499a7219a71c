// Learned values that the loop takes back: they belong to a map that is no longer there.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/Looks.h"

namespace brusk::evidence::checks {

void trimsKept(const Looked& at, Found& out) {
    constexpr double kLearned_pct = 5, kTakenBack = 0.55;
    constexpr size_t kFewest = 3;
    constexpr double kEarly_s = 40;
    std::vector<double> learned, left;
    Finding finding;
    for (const SteadyRow& row : at.steady) {
        if (!row.closed || std::abs(row.asked - 1) > 0.02 || !(std::abs(row.longTrim_pct) > kLearned_pct)) continue;
        // Learned before this drive, not in it.
        const Sampled& drive = at.drives[row.drive];
        const auto time = drive.time_s();
        const Extent early =
            extentOf(drive.columnIfAny("long_trim"), samplesIn(time, time.front(), time.front() + kEarly_s));
        if (!(std::max(std::abs(early.least), std::abs(early.most)) > kLearned_pct)) continue;
        // The short trim works against the long one, and most of it.
        if (row.shortTrim_pct * row.longTrim_pct > 0 ||
            std::abs(row.shortTrim_pct) < kTakenBack * std::abs(row.longTrim_pct))
            continue;
        learned.push_back(row.longTrim_pct), left.push_back(row.shortTrim_pct);
        finding.where.push_back({row.drive, row.from_s, row.to_s});
    }
    if (learned.size() < kFewest) return;
    finding.seriousness = Seriousness::Warn;
    finding.certainty = 0.5;
    finding.seen = say("finding.trims-kept", "The loop takes {0} % of what was learned ({1} %) back again.",
                       {formatNumber(medianOf(left), 0), formatNumber(medianOf(learned), 0)});
    finding.means = {"what the controller learned belongs to a map that is no longer there", "a fault came and went"};
    finding.todo = "Clear the learned values, or drive gently until they have relearned, before a pull.";
    finding.place = {"Car", "adaptations", std::nullopt};
    finding.figures = {{"long_trim_pct", medianOf(learned)}, {"short_trim_pct", medianOf(left)}};
    finding.lanes = {"long_trim", "short_trim", "lambda_measured", "airflow"};
    out.push_back(std::move(finding));
}

}  // namespace brusk::evidence::checks
