// The airflow meter against speed-density, and which of them the loop agrees with.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/Looks.h"
#include "core/evidence/checks/Models.h"

namespace brusk::evidence::checks {

void meterDisagrees(const Looked& at, Found& out) {
    const Models& models = modelsOf(at);
    constexpr double kSlow = 0.12, kVerySlow = 0.4, kReads = 0.1;
    if (const double late = meterLateness(at);
        late > (models.blame == Models::Blame::Pressure ? kVerySlow : kSlow) && std::abs(models.meterOff) < kReads) {
        Finding finding;
        finding.seriousness = Seriousness::Warn;
        finding.certainty = 0.8;
        finding.seen = say("finding.meter-slow",
                           "The airflow meter comes late: between rising and falling air it differs by {0} % from "
                           "speed-density.",
                           {formatNumber(100 * late, 0)});
        finding.means = {"the airflow meter is dirty or old", "the manifold's filling is not reckoned with"};
        finding.todo = "Clean or replace the meter; settled driving can be learned from.";
        finding.place = {"Correct", "meter", roles::Role("meter_curve")};
        finding.lanes = {"meter_airflow", "airflow", "manifold_pressure", "throttle"};
        finding.where = wholeDrives(at);
        out.push_back(std::move(finding));
        return;
    }
    if (models.blame != Models::Blame::Meter && models.blame != Models::Blame::MeterShare) return;
    Finding finding;
    finding.seriousness = Seriousness::Warn;
    finding.certainty = 0.75;
    finding.seen = say("finding.meter-disagrees",
                       "The airflow meter reads {0} % {1} than speed-density, whose air the loop agrees with.",
                       {formatNumber(100 * std::abs(models.meterOff), 0), models.meterOff > 0 ? "more" : "less"});
    finding.means = models.meterOff > 0
                        ? std::vector<std::string>{"the meter's curve is too high", "the meter is dirty"}
                        : std::vector<std::string>{"the meter's curve is too low, or it is dirty",
                                                   "air gets in between meter and throttle"};
    finding.todo = "Look for a leak between meter and throttle, then correct the meter's curve.";
    finding.place = {"Correct", "meter", roles::Role("meter_curve")};
    finding.figures = {{"meter_off_pct", 100 * models.meterOff}};
    finding.where = wholeDrives(at);
    for (const Stretch& where : finding.where)
        finding.taints.push_back({"meter_airflow", where});
    finding.lanes = {"meter_airflow", "airflow", "manifold_pressure", "short_trim"};
    out.push_back(std::move(finding));
}

}  // namespace brusk::evidence::checks
