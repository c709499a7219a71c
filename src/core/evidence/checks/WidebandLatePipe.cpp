// A wideband that is right above a speed and lean below it: its pipe has no gas of its own there.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/Looks.h"

namespace brusk::evidence::checks {

void widebandLatePipe(const Looked& at, Found& out) {
    constexpr double kStep = 0.06, kClear = 3, kBetter = 0.6;
    constexpr size_t kFewest = 3, kEnough = 12;
    constexpr double kLater = 0.35;
    std::vector<std::pair<double, double>> rows;  // speed, off
    std::vector<double> slow, off;
    for (const SteadyRow& row : at.steady)
        if (row.closed && std::abs(row.asked - 1) < 0.02 && !std::isnan(row.measured) && !row.nearStop())
            rows.emplace_back(row.speed_rpm, row.off() - 1), slow.push_back(1 / row.airflow_kgh),
                off.push_back(row.off() - 1);
    if (rows.size() < 2 * kFewest) return;
    // What came on the way has no border in what was before.
    if (const auto before = static_cast<long>(kLater * static_cast<double>(rows.size()));
        rows.size() - static_cast<size_t>(before) >= kEnough) {
        rows.erase(rows.begin(), rows.begin() + before);
        slow.erase(slow.begin(), slow.begin() + before), off.erase(off.begin(), off.begin() + before);
    }
    std::sort(rows.begin(), rows.end());
    double best = 0, border_rpm = 0, below = 0, rest = 0;
    for (size_t k = kFewest; k + kFewest <= rows.size(); ++k) {
        std::vector<double> low, high, spread;
        for (size_t i = 0; i < rows.size(); ++i)
            (i < k ? low : high).push_back(rows[i].second);
        const double a = medianOf(low), b = medianOf(high);
        for (size_t i = 0; i < rows.size(); ++i)
            spread.push_back(std::abs(rows[i].second - (i < k ? a : b)));
        const double clear = (a - b) / (medianOf(spread) + 0.005);
        if (a - b > kStep && std::abs(b) < kStep && clear > best)
            best = clear, rest = medianOf(spread) / 0.6745, border_rpm = (rows[k - 1].first + rows[k].first) / 2,
            below = a;
    }
    // A leak falls with the flow and has no border.
    if (best < kClear || rest > kBetter * lineThrough(slow, off).spread) return;
    Finding finding;
    finding.seriousness = Seriousness::Warn;
    finding.certainty = 0.85;
    finding.seen = say("finding.wideband-late-pipe",
                       "Below about {0} rpm the wideband reads {1} % lean while the loop holds; above it is right.",
                       {formatNumber(border_rpm, 0), formatNumber(100 * below, 0)});
    finding.means = {"its pipe carries no gas of its own below that speed", "air comes back through an open pipe end"};
    finding.todo = "Move the wideband into the pipe that all gas takes; nothing is learned from it below that speed.";
    finding.place = {"Drive", "", std::nullopt};
    finding.figures = {{"engine_rpm", border_rpm}, {"lambda_off_pct", 100 * below}};
    finding.where = stretchesBelow(at, "engine_speed", border_rpm);
    for (const Stretch& where : finding.where)
        finding.taints.push_back({"lambda_measured", where});
    finding.lanes = {"lambda_measured", "lambda_asked", "engine_speed", "narrowband"};
    out.push_back(std::move(finding));
}

}  // namespace brusk::evidence::checks
