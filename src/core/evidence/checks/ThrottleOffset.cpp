// A throttle sensor that does not read what the throttle was told.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/Looks.h"

namespace brusk::evidence::checks {

void throttleOffset(const Looked& at, Found& out) {
    constexpr double kOff_pct = 1.5, kSame_pct = 1;
    constexpr size_t kFewest = 6;
    std::vector<double> off, apart;
    Finding finding;
    for (const SteadyRow& row : at.steady) {
        const double one = row.throttle_pct - row.target_pct;
        if (std::isnan(one) || row.target_pct > 85) continue;
        off.push_back(one);
        finding.where.push_back({row.drive, row.from_s, row.to_s});
    }
    const double middle = medianOf(off);
    if (off.size() < kFewest || !(std::abs(middle) > kOff_pct)) return;
    for (const double one : off)
        apart.push_back(std::abs(one - middle));
    if (medianOf(apart) > std::max(kSame_pct, 0.3 * std::abs(middle))) return;
    finding.seriousness = Seriousness::Warn;
    finding.certainty = 0.95;
    finding.seen =
        say("finding.throttle-offset", "The throttle reads {0} % {1} than it is told, wherever it is settled.",
            {formatNumber(std::abs(middle), 1), middle > 0 ? "more" : "less"});
    finding.means = {"the throttle sensor is off, or its ends were not learned", "the plate sticks"};
    finding.todo = "Have the throttle's ends learned, or replace the sensor, before idle and pedal are corrected.";
    finding.place = {"Car", "", std::nullopt};
    finding.figures = {{"throttle_off_pct", middle}};
    finding.lanes = {"throttle", "throttle_target", "pedal", "manifold_pressure"};
    out.push_back(std::move(finding));
}

}  // namespace brusk::evidence::checks
