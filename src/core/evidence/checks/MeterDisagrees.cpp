// The airflow meter against speed-density, and which of them the loop agrees with.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/Looks.h"
#include "core/evidence/checks/Shared.h"

namespace brusk::evidence::checks {

void meterDisagrees(const Looked& at, Found& out) {
    using Id = Suspect::Id;
    const MixtureBlame& blame = blameOf(at);
    const double chance = blame.chanceOf({Id::Meter, Id::MeterLow, Id::MeterScale});
    constexpr double kSlow = 0.08, kVerySlow = 0.4, kPiped = 0.25, kReads = 0.1;
    double reads = 0;  // more than it should, as a share in the middle of what was driven
    if (chance >= kBlamed) {
        const auto likelier = [&](Id a, Id b) { return blame.chanceOf({a}) > blame.chanceOf({b}) ? a : b; };
        const Id likeliest = likelier(likelier(Id::Meter, Id::MeterLow), Id::MeterScale);
        std::vector<double> shows;
        shows.reserve(blame.cells.size());
        for (const MixtureCell& cell : blame.cells)
            shows.push_back(blame.showsIn(cell, likeliest, true));
        reads = std::exp(-medianOf(shows)) - 1;
    }
    // Behind a compressor the pipe fills as well, and may leak.
    if (const double late = meterLateness(at);
        late > (blame.chanceOf({Id::Filling, Id::PressureOffset, Id::BoostLeak}) >= kBlamed ? kVerySlow
                : isPressed(at)                                                             ? kPiped
                                                                                            : kSlow) &&
        std::abs(reads) < kReads) {
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
    if (chance < kBlamed) return;
    Finding finding;
    finding.seriousness = Seriousness::Warn;
    finding.certainty = certaintyOf(chance);
    finding.seen = say("finding.meter-disagrees",
                       "The airflow meter reads {0} % {1} than speed-density, whose air the loop agrees with.",
                       {formatNumber(100 * std::abs(reads), 0), reads > 0 ? "more" : "less"});
    finding.means = reads > 0 ? std::vector<std::string>{"the meter's curve is too high", "the meter is dirty"}
                              : std::vector<std::string>{"the meter's curve is too low, or it is dirty",
                                                         "air gets in between meter and throttle"};
    finding.todo = "Look for a leak between meter and throttle, then correct the meter's curve.";
    finding.place = {"Correct", "meter", roles::Role("meter_curve")};
    finding.figures = {{"meter_off_pct", 100 * reads}};
    finding.where = whereBlamed(at);
    finding.lanes = {"meter_airflow", "airflow", "manifold_pressure", "short_trim"};
    finding.notApart = blame.notApartFrom({Id::Meter, Id::MeterLow, Id::MeterScale});
    out.push_back(std::move(finding));
}

}  // namespace brusk::evidence::checks
