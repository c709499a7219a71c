// A pressure sensor that is off: speed-density is, by the same share or pressure, and the loop says so.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/Looks.h"
#include "core/evidence/checks/Shared.h"

namespace brusk::evidence::checks {

void pressureScale(const Looked& at, Found& out) {
    using Id = Suspect::Id;
    const MixtureBlame& blame = blameOf(at);
    const double chance = blame.chanceOf({Id::Filling, Id::PressureOffset});
    constexpr double kLate = 0.4;
    if (chance < kBlamed || meterLateness(at) > kLate) return;
    // By the likelier of both, in the middle of what was driven.
    const Id likelier =
        blame.chanceOf({Id::Filling}) > blame.chanceOf({Id::PressureOffset}) ? Id::Filling : Id::PressureOffset;
    std::vector<double> shows;
    shows.reserve(blame.cells.size());
    for (const MixtureCell& cell : blame.cells)
        shows.push_back(blame.showsIn(cell, likelier, false));
    const double tooHigh = std::exp(-medianOf(shows)) - 1;
    Finding finding;
    finding.seriousness = Seriousness::Warn;
    finding.certainty = certaintyOf(chance);
    finding.seen = say("finding.pressure-scale",
                       "The air computed from pressure is {0} % too {1}; the meter and the loop agree on that.",
                       {formatNumber(100 * std::abs(tooHigh), 0), tooHigh > 0 ? "high" : "low"});
    finding.means = {"the pressure sensor reads off, or its scaling is wrong", "the air map is off everywhere"};
    finding.todo = "Compare the sensor with the weather's pressure, engine off, and put its scaling right first.";
    finding.place = {"Maps", "", roles::Role("map_sensor_slope")};
    finding.figures = {{"air_off_pct", 100 * tooHigh}};
    finding.where = whereBlamed(at);
    finding.lanes = {"manifold_pressure", "meter_airflow", "short_trim", "long_trim"};
    finding.notApart = blame.notApartFrom({Id::Filling, Id::PressureOffset});
    out.push_back(std::move(finding));
}

}  // namespace brusk::evidence::checks
