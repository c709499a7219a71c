// An intake air sensor that reads its own warmth where little air passes it.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/Looks.h"
#include "core/evidence/checks/Shared.h"

namespace brusk::evidence::checks {

void heatSoak(const Looked& at, Found& out) {
    constexpr double kSoaked_K = 2, kNoBoost_kPa = 95, kSure = 4, kHalf_kgh = 72;
    constexpr size_t kFewest = 8;
    std::vector<double> still, read;
    for (const SteadyRow& row : at.steady) {
        if (row.pressure_kPa > kNoBoost_kPa) continue;  // a compressor warms it too
        const Sampled& drive = at.drives[row.drive];
        const auto air =
            extentOf(drive.columnIfAny("intake_temperature"), samplesIn(drive.time_s(), row.from_s, row.to_s));
        still.push_back(1 / (1 + row.airflow_kgh / kHalf_kgh)), read.push_back(air.mean);
    }
    const Line line = lineThrough(still, read);
    double soaked_K = 0, certainty = 0;
    if (line.rows >= kFewest && line.slope > 0 && line.sureness() >= kSure) {
        const auto [least, most] = std::minmax_element(still.begin(), still.end());
        soaked_K = line.slope * (*most - *least), certainty = 0.7;
    }
    // A compressor's heat hides it in the reading; the air computed with it does not.
    const MixtureBlame& blame = blameOf(at);
    const double chance = blame.chanceOf({Suspect::Id::HeatSoak});
    const bool byAir = soaked_K < kSoaked_K && chance >= kBlamed;
    if (byAir) soaked_K = blame.of(Suspect::Id::HeatSoak).alone, certainty = certaintyOf(chance);
    if (soaked_K < kSoaked_K) return;
    Finding finding;
    finding.seriousness = Seriousness::Note;
    finding.certainty = certainty;
    finding.seen =
        byAir ? say("finding.heat-soak-air",
                    "The air computed from pressure is as low where little flows as an intake temperature {0} K too "
                    "high would make it.",
                    {formatNumber(soaked_K, 0)})
              : say("finding.heat-soak",
                    "The intake temperature reads {0} K more where little air passes than where much does.",
                    {formatNumber(soaked_K, 0)});
    finding.means = {"heat soaks into the sensor while the car stands", "hot air is drawn from under the bonnet"};
    finding.todo = "Nothing, or a place for the sensor where air moves; evidence leaves out what follows a stop.";
    finding.place = {"Correct", "charge-temperature", roles::Role("charge_blend")};
    finding.figures = {{"charge_rise_K", soaked_K}};
    finding.where = wholeDrives(at);
    finding.lanes = {"intake_temperature", "vehicle_speed", "airflow", "coolant"};
    out.push_back(std::move(finding));
}

}  // namespace brusk::evidence::checks
