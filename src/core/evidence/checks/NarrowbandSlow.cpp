// A narrowband that answers the loop late: the swing of the trims becomes slow and wide.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/Looks.h"

namespace brusk::evidence::checks {

void narrowbandSlow(const Looked& at, Found& out) {
    constexpr double kStill_V = 0.13, kDead_V = 0.016, kLeastFlow_kgh = 15, kMiddle_V = 0.45, kNear_V = 0.15;
    constexpr size_t kFewest = 5;
    std::vector<double> ranges_V;
    Finding finding;
    for (const SteadyRow& row : at.steady) {
        if (!row.closed || row.nearStop() || row.airflow_kgh < kLeastFlow_kgh || std::abs(row.asked - 1) > 0.02)
            continue;
        const Sampled& drive = at.drives[row.drive];
        const Extent volts = extentOf(drive.columnIfAny("narrowband"), samplesIn(drive.time_s(), row.from_s, row.to_s));
        ranges_V.push_back(volts.range());
        if (volts.range() < kStill_V && std::abs(volts.mean - kMiddle_V) < kNear_V)
            finding.where.push_back({row.drive, row.from_s, row.to_s});
    }
    // The loop swings it from rich to lean; one that follows late stays in the middle.
    const double range_V = medianOf(ranges_V);
    if (ranges_V.size() < kFewest || range_V > kStill_V || range_V < kDead_V || finding.where.empty()) return;
    finding.seriousness = Seriousness::Warn;
    finding.certainty = 0.9;
    finding.seen =
        say("finding.narrowband-slow", "The narrowband moves by {0} V only while the loop swings the mixture.",
            {formatNumber(range_V, 2)});
    finding.means = {"the narrowband is old", "the loop's jump and ramp are too large for this pipe"};
    finding.todo = "Put a new narrowband in before the loop is adjusted.";
    finding.place = {"Car", "lambda-loop", roles::Role("loop_jump")};
    finding.figures = {{"swing_V", range_V}};
    finding.lanes = {"narrowband", "short_trim", "lambda_measured", "airflow"};
    out.push_back(std::move(finding));
}

}  // namespace brusk::evidence::checks
