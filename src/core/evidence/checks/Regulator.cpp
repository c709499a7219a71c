// Mixture that goes with the manifold pressure as fuel pressure against it would.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/Blame.h"
#include "core/evidence/checks/Looks.h"

namespace brusk::evidence::checks {

void regulator(const Looked& at, Found& out) {
    const Blamed& blamed = blameOf(at);
    if (blamed.cause != Blamed::Cause::Regulator) return;
    Finding finding;
    finding.seriousness = Seriousness::Warn;
    finding.certainty = 0.75;
    finding.seen =
        say("finding.regulator",
            "The mixture goes with the manifold's pressure: {0} % too rich at {1} kPa, {2} % leaner at {3} kPa.",
            {formatNumber(-100 * blamed.atLeast, 0), formatNumber(blamed.least, 0),
             formatNumber(100 * (blamed.atMost - blamed.atLeast), 0), formatNumber(blamed.most, 0)});
    finding.means = {"the fuel pressure does not follow the manifold", "the air map is wrong along pressure"};
    finding.todo = "Look at the regulator's hose; else tell the sheet that the regulator is to the weather.";
    finding.place = {"Car", "injector", roles::Role("injector_flow")};
    finding.figures = {{"lean_pct", 100 * (blamed.atMost - blamed.atLeast)}};
    finding.where = wholeDrives(at);
    finding.lanes = {"manifold_pressure", "short_trim", "long_trim", "lambda_measured"};
    out.push_back(std::move(finding));
}

}  // namespace brusk::evidence::checks
