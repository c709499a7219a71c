// A pressure sensor that is off: speed-density is, by the same share or pressure, and the loop says so.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/Looks.h"
#include "core/evidence/checks/Models.h"

namespace brusk::evidence::checks {

void pressureScale(const Looked& at, Found& out) {
    const Models& models = modelsOf(at);
    constexpr double kLate = 0.4;
    if (models.blame != Models::Blame::Pressure || meterLateness(at) > kLate) return;
    Finding finding;
    finding.seriousness = Seriousness::Warn;
    finding.certainty = 0.8;
    finding.seen = say("finding.pressure-scale",
                       "The air computed from pressure is {0} % too {1}; the meter and the loop agree on that.",
                       {formatNumber(100 * std::abs(models.densityOff), 0), models.densityOff > 0 ? "high" : "low"});
    finding.means = {"the pressure sensor reads off, or its scaling is wrong", "the air map is off everywhere"};
    finding.todo = "Compare the sensor with the weather's pressure, engine off, and put its scaling right first.";
    finding.place = {"Maps", "", roles::Role("map_sensor_slope")};
    finding.figures = {{"air_off_pct", 100 * models.densityOff}};
    finding.where = wholeDrives(at);
    for (const Stretch& where : finding.where)
        finding.taints.push_back({"manifold_pressure", where});
    finding.lanes = {"manifold_pressure", "meter_airflow", "short_trim", "long_trim"};
    out.push_back(std::move(finding));
}

}  // namespace brusk::evidence::checks
