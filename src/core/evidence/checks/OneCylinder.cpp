// A cylinder that gives less than the others: the crank feels it once a cycle, and the loop enriches.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/Looks.h"
#include "core/evidence/checks/Unevenness.h"

namespace brusk::evidence::checks {

void oneCylinder(const Looked& at, Found& out) {
    const Unevenness& uneven = unevennessOf(at);
    if (!uneven.shows() || uneven.lacks > Unevenness::kMisfires) return;
    Finding finding;
    finding.seriousness = Seriousness::Warn;
    finding.certainty = 0.9;
    finding.seen = uneven.sentence();
    finding.means = {"one injector gives less than the others", "one cylinder draws air past its valve's gasket"};
    finding.todo = "Have the injectors measured; the loop enriches all others for the one.";
    finding.place = {"Car", "", std::nullopt};
    finding.figures = {{"spread_rpm", uneven.rough_rpm}, {"short_trim_pct", 100 * uneven.lacks}};
    finding.where = uneven.where;
    finding.lanes = {"engine_speed", "short_trim", "lambda_measured", "narrowband"};
    out.push_back(std::move(finding));
}

}  // namespace brusk::evidence::checks
