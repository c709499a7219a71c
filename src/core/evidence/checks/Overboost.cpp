// Boost that goes beyond its target in pulls.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/Looks.h"

namespace brusk::evidence::checks {

void overboost(const Looked& at, Found& out) {
    constexpr double kOver_kPa = 20, kStays_kPa = 12, kFar_kPa = 30;
    const auto pulls = eventsOfKind(at, roles::kPull);
    std::vector<double> over;
    Finding finding;
    for (const Of& pull : pulls) {
        const double beyond = pull.event->figure("overshoot_kpa"), off = pull.event->figure("boost_off_kpa");
        if (!(beyond > kOver_kPa) && !(off > kStays_kPa)) continue;
        over.push_back(std::max(beyond, off));
        finding.where.push_back(pull.where());
    }
    if (over.empty()) return;
    const double most = *std::max_element(over.begin(), over.end());
    const bool mostly = over.size() * 2 > pulls.size();
    if (!mostly && most < kFar_kPa) return;
    finding.seriousness = most < kFar_kPa ? Seriousness::Warn : Seriousness::Danger;
    finding.certainty = mostly ? 0.6 : 0.5;
    finding.seen = say("finding.overboost", "Boost goes {0} kPa beyond its target in {1}.",
                       {formatNumber(most, 0), countText(over.size(), pulls.size(), "pulls")});
    finding.means = {"the wastegate does not open", "the duty of the wastegate is too high"};
    finding.todo = "Lower the duty where it goes beyond; if nothing changes, the wastegate or its hose is at fault.";
    finding.place = {"Correct", "boost", roles::Role("wastegate_duty")};
    finding.figures = {{"overshoot_kpa", most}};
    finding.lanes = {"manifold_pressure", "boost_target_now", "wastegate_duty_now", "boost_i_part"};
    out.push_back(std::move(finding));
}

}  // namespace brusk::evidence::checks
