// A factor of octane that was taken down: the fuel is poorer than the spark maps count on.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/Looks.h"

namespace brusk::evidence::checks {

void octaneLow(const Looked& at, Found& out) {
    constexpr double kFalls_pct = 25, kLow_pct = 48;
    constexpr size_t kKnocks = 3;
    const auto knocks = eventsOfKind(at, roles::kKnock);
    if (knocks.size() < kKnocks) return;
    Finding finding;
    double from = NAN, to = NAN;
    for (size_t d = 0; d < at.drives.size(); ++d) {
        const Column factor = at.drives[d].columnIfAny("octane_factor");
        const Extent is = extentOf(factor, {0, factor.size()});
        if (is.count == 0 || is.most - is.least < kFalls_pct || is.least > kLow_pct) continue;
        from = is.most, to = is.least;
        const auto time = at.drives[d].time_s();
        finding.where.push_back({d, time.front(), time.back()});
    }
    if (finding.where.empty()) return;
    finding.seriousness = Seriousness::Warn;
    finding.certainty = 0.5;
    finding.seen = say("finding.octane-low", "Knock took the octane factor from {0} to {1} %.",
                       {formatNumber(from, 0), formatNumber(to, 0)});
    finding.means = {"the fuel has less octane than the spark counts on", "the charge is hotter than it should be"};
    finding.todo = "Ask what was filled in; correct spark on the fuel that will be driven.";
    finding.place = {"Drive", "spark", roles::Role("spark_octane")};
    finding.lanes = {"octane_factor", "knock_retard", "spark", "manifold_pressure"};
    out.push_back(std::move(finding));
}

}  // namespace brusk::evidence::checks
