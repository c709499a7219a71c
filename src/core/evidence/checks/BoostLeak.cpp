// Air that the meter counts in boost and the cylinders never get.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/Looks.h"
#include "core/evidence/checks/Shared.h"

namespace brusk::evidence::checks {

void boostLeak(const Looked& at, Found& out) {
    const MixtureBlame& blame = blameOf(at);
    const double chance = blame.chanceOf({Suspect::Id::BoostLeak});
    constexpr double kBoost_kPa = 110;
    if (chance < kBlamed) return;
    std::vector<double> shows;
    for (const MixtureCell& cell : blame.cells)
        if (cell.pressure_kPa > kBoost_kPa) shows.push_back(-blame.showsIn(cell, Suspect::Id::BoostLeak, true));
    if (shows.empty()) return;
    const double lost = std::exp(medianOf(shows)) - 1;
    Finding finding;
    for (const Of& pull : eventsOfKind(at, roles::kPull))
        finding.where.push_back(pull.where());
    finding.seriousness = Seriousness::Warn;
    finding.certainty = certaintyOf(chance);
    finding.seen = say("finding.boost-leak", "In boost the meter counts {0} % more air than the cylinders get.",
                       {formatNumber(100 * lost, 0)});
    finding.means = {"air leaks out between compressor and throttle", "the air map is too low in boost"};
    finding.todo = "Press the pipes with air and listen, before boost or fuel is corrected.";
    finding.place = {"Car", "", std::nullopt};
    finding.figures = {{"meter_off_pct", 100 * lost}};
    finding.lanes = {"meter_airflow", "airflow", "manifold_pressure", "wastegate_duty_now"};
    finding.notApart = blame.notApartFrom({Suspect::Id::BoostLeak});
    out.push_back(std::move(finding));
}

}  // namespace brusk::evidence::checks
