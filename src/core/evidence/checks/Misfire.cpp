// A cylinder that does not burn: the crank turns very unevenly, and the loop adds what it can.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/Unevenness.h"

namespace brusk::evidence::checks {

void misfire(const Looked& at, Found& out) {
    const Unevenness& uneven = unevennessOf(at);
    if (!uneven.shows() || uneven.lacks <= Unevenness::kMisfires) return;
    Finding finding;
    finding.seriousness = Seriousness::Warn;
    finding.certainty = 0.95;
    finding.seen = uneven.sentence();
    finding.means = {"one cylinder does not burn: injector, plug or coil", "it burns too lean"};
    finding.todo = "Find the cylinder before driving on: what it does not burn, the catalyst does.";
    finding.place = {"Car", "", std::nullopt};
    finding.figures = {{"spread_rpm", uneven.rough_rpm}, {"short_trim_pct", 100 * uneven.lacks}};
    finding.where = uneven.where;
    for (const Stretch& where : wholeDrives(at))
        finding.taints.push_back({"lambda_measured", where});
    finding.lanes = {"engine_speed", "short_trim", "lambda_measured", "narrowband"};
    out.push_back(std::move(finding));
}

}  // namespace brusk::evidence::checks
