// A wideband that reads off by the same share wherever the loop holds lambda 1.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/Looks.h"
#include "core/evidence/checks/Shared.h"

namespace brusk::evidence::checks {

void widebandScale(const Looked& at, Found& out) {
    constexpr double kOff = 0.022, kFlat = 0.012, kSurely = 0.75, kLess = 0.016, kTaints = 0.04;
    constexpr size_t kFewest = 8;
    std::vector<double> off, slow;
    Finding finding;
    for (const SteadyRow& row : at.steady) {
        if (!row.closed || std::abs(row.asked - 1) > 0.02 || std::isnan(row.measured)) continue;
        if (row.nearStop()) continue;  // then the mixture is off, not the sensor
        off.push_back(row.off()), slow.push_back(1 / row.airflow_kgh);
    }
    if (off.size() < kFewest) return;
    const double middle = medianOf(off) - 1;
    std::vector<double> apart;
    apart.reserve(off.size());
    for (const double one : off)
        apart.push_back(std::abs(one - 1 - middle));
    // Of the same size everywhere; what falls with the flow is a leak.
    const double least = blameOf(at).chanceOf({Suspect::Id::Wideband}) > kSurely ? kLess : kOff;
    if (std::abs(middle) < least || medianOf(apart) > std::max(kFlat, 0.25 * std::abs(middle))) return;
    finding.seriousness = Seriousness::Warn;
    finding.certainty = 0.9;
    finding.seen =
        say("finding.wideband-scale", "The wideband reads {0} % {1} wherever the narrowband's loop holds lambda 1.",
            {formatNumber(100 * std::abs(middle), 1), middle > 0 ? "lean" : "rich"});
    finding.means = {"the wideband is scaled or aged off", "the narrowband's switching point lies elsewhere"};
    finding.todo =
        "Calibrate the wideband in free air, or put its line right under Sensors; full load would be wrong by as much.";
    finding.place = {"Drive", "", std::nullopt};
    finding.figures = {{"lambda_off_pct", 100 * middle}};
    finding.where = wholeDrives(at);
    // A little is learned from all the same: what it is off by is known.
    if (std::abs(middle) > kTaints)
        for (const Stretch& where : finding.where)
            finding.taints.push_back({"lambda_measured", where});
    finding.lanes = {"lambda_measured", "lambda_asked", "narrowband", "short_trim"};
    out.push_back(std::move(finding));
}

}  // namespace brusk::evidence::checks
