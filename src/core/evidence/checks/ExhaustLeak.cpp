// Air that both exhaust sensors see: the loop enriches where little flows.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/Blame.h"
#include "core/evidence/checks/Looks.h"

namespace brusk::evidence::checks {

void exhaustLeak(const Looked& at, Found& out) {
    const Blamed& blamed = blameOf(at);
    if (blamed.cause != Blamed::Cause::AirInExhaust) return;
    // Seen by the wideband alone it is not before both.
    constexpr double kAlone = 0.5, kSure = 5;
    const Line wideband = widebandByFlow(at).line;
    if (wideband.slope > kAlone * blamed.slope && wideband.sureness() > kSure) return;
    constexpr double kPerGram_s = 3.6;
    Finding finding;
    finding.seriousness = Seriousness::Warn;
    finding.certainty = 0.8;
    finding.seen =
        say("finding.exhaust-leak",
            "The loop enriches by {0} % at idle's airflow and by {1} % at high flow: as {2} g/s of air would.",
            {formatNumber(100 * blamed.atLowFlow, 0), formatNumber(100 * blamed.atHighFlow, 0),
             formatNumber(blamed.slope / kPerGram_s, 1)});
    finding.means = {"air leaks into the exhaust before both sensors",
                     "the injectors' dead time is too short in the bytes"};
    finding.todo = "Look for soot at manifold and flanges before dead times or air are corrected.";
    finding.place = {"Car", "injector", roles::Role("injector_dead_time")};
    finding.figures = {{"leak_gs", blamed.slope / kPerGram_s}};
    finding.where = wholeDrives(at);
    constexpr double kNoMatter = 0.01;  // of the mixture
    for (const Stretch& where : stretchesBelow(at, "airflow", blamed.slope / kNoMatter))
        finding.taints.push_back({"lambda_measured", where});
    finding.lanes = {"short_trim", "long_trim", "lambda_measured", "airflow"};
    out.push_back(std::move(finding));
}

}  // namespace brusk::evidence::checks
