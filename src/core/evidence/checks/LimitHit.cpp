// Fuel or boost was cut under the foot.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/Looks.h"

namespace brusk::evidence::checks {

void limitHit(const Looked& at, Found& out) {
    const auto limits = eventsOfKind(at, roles::kLimit);
    if (limits.empty()) return;
    Finding finding;
    double most_rpm = 0, most_kPa = 0;
    bool boost = false;
    for (const Of& one : limits) {
        finding.where.push_back(one.where());
        most_rpm = std::max(most_rpm, one.event->figure("engine_rpm"));
        most_kPa = std::max(most_kPa, one.event->figure("pressure_kpa"));
        boost = boost || one.event->what == "boost";
    }
    finding.seriousness = boost && limits.size() > 1 ? Seriousness::Warn : Seriousness::Note;
    finding.certainty = 0.5;
    finding.seen = say("finding.limit-hit", "{0} under the foot, {1} times, at up to {2} rpm and {3} kPa.",
                       {boost ? "Boost was cut" : "Fuel was cut", std::to_string(limits.size()),
                        formatNumber(most_rpm, 0), formatNumber(most_kPa, 0)});
    finding.means = {boost ? "boost went beyond what the controller allows" : "the rev limit",
                     "a limit of load or speed"};
    finding.todo = boost ? "Lower the duty before the limit is raised." : "Nothing, if it was meant.";
    finding.place = {"Maps", boost ? "boost" : "", std::nullopt};
    finding.figures = {{"engine_rpm", most_rpm}, {"pressure_kpa", most_kPa}};
    finding.lanes = {"engine_speed", "manifold_pressure", "fuel_cut", "pedal"};
    out.push_back(std::move(finding));
}

}  // namespace brusk::evidence::checks
