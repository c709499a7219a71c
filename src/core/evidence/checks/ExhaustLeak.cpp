// Air that both exhaust sensors see: the loop enriches where little flows.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/Looks.h"
#include "core/evidence/checks/Shared.h"

namespace brusk::evidence::checks {

void exhaustLeak(const Looked& at, Found& out) {
    const MixtureBlame& blame = blameOf(at);
    const double chance = blame.chanceOf({Suspect::Id::ExhaustAir});
    if (chance < kBlamed) return;
    const double air_kgh = blame.of(Suspect::Id::ExhaustAir).alone;
    const auto [least, most] = std::minmax_element(
        blame.cells.begin(), blame.cells.end(), [](const auto& a, const auto& b) { return a.flow_kgh < b.flow_kgh; });
    // Seen by the wideband alone it is not before both.
    constexpr double kAlone = 0.5, kSure = 5;
    const Line wideband = widebandByFlow(at).line;
    if (wideband.slope > kAlone * air_kgh && wideband.sureness() > kSure) return;
    constexpr double kPerGram_s = 3.6;
    Finding finding;
    finding.seriousness = Seriousness::Warn;
    finding.certainty = certaintyOf(chance);
    finding.seen =
        say("finding.exhaust-leak",
            "The loop enriches by {0} % at idle's airflow and by {1} % at high flow: as {2} g/s of air would.",
            {formatNumber(100 * air_kgh / least->flow_kgh, 0), formatNumber(100 * air_kgh / most->flow_kgh, 0),
             formatNumber(air_kgh / kPerGram_s, 1)});
    finding.means = {"air leaks into the exhaust before both sensors",
                     "the injectors' dead time is too short in the bytes"};
    finding.todo = "Look for soot at manifold and flanges before dead times or air are corrected.";
    finding.place = {"Car", "injector", roles::Role("injector_dead_time")};
    finding.figures = {{"leak_gs", air_kgh / kPerGram_s}};
    finding.where = whereBlamed(at);
    finding.lanes = {"short_trim", "long_trim", "lambda_measured", "airflow"};
    finding.notApart = blame.notApartFrom({Suspect::Id::ExhaustAir});
    out.push_back(std::move(finding));
}

}  // namespace brusk::evidence::checks
