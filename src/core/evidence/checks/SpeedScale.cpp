// Engine over road speed, gear by gear, against the ratios in the bytes.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/Gears.h"
#include "core/evidence/checks/Looks.h"

namespace brusk::evidence::checks {

void speedScale(const Looked& at, Found& out) {
    constexpr double kOff = 0.03, kBand = 0.015, kClear = 0.55;
    constexpr size_t kFewest = 6;
    const auto ratios = gearRatios(at);
    std::vector<double> seen;
    for (const SteadyRow& row : at.steady)
        if (row.road_kmh > 20 && !row.idle) seen.push_back(std::log(row.speed_rpm / row.road_kmh));
    if (ratios.size() < 2 || seen.size() < kFewest) return;
    // One factor for all gears: the one under which most of what was seen lies on a ratio.
    double best = 0, off = 0, atNil = 0;
    for (double factor = -0.35; factor <= 0.35; factor += 0.0025) {
        double hits = 0;
        for (const double one : seen) {
            double nearest = INFINITY;
            for (const double ratio : ratios)
                nearest = std::min(nearest, std::abs(one - factor - std::log(ratio)));
            hits += std::exp(-0.5 * nearest * nearest / (kBand * kBand));
        }
        if (std::abs(factor) < 1e-9) atNil = hits;
        // Of factors that explain as much the smaller is believed.
        if (hits > best * 1.02 || (hits > best * 0.98 && std::abs(factor) < std::abs(off)))
            best = std::max(best, hits), off = factor;
    }
    if (std::abs(off) < kOff || best < kClear * static_cast<double>(seen.size()) || atNil > 0.5 * best) return;
    // Engine over road speed too high is road speed too low.
    const double reads = std::exp(-off) - 1;
    Finding finding;
    finding.seriousness = Seriousness::Warn;
    finding.certainty = 0.95;
    finding.seen = say("finding.speed-scale", "The road speed reads {0} % too {1} for the gears in the bytes.",
                       {formatNumber(100 * std::abs(reads), 0), reads > 0 ? "high" : "low"});
    finding.means = {"the wheel pulses in the bytes do not fit these tyres",
                     "the gear ratios in the bytes are another gearbox's"};
    finding.todo =
        "Put wheel pulses and gear ratios right; pedal maps by road speed are read beside their cells until then.";
    finding.place = {"Correct", "speed", roles::Role("wheel_pulses")};
    finding.figures = {{"speed_off_pct", 100 * reads}};
    finding.where = wholeDrives(at);
    for (const Stretch& where : finding.where)
        finding.taints.push_back({"vehicle_speed", where});
    finding.lanes = {"vehicle_speed", "engine_speed", "gear", "pedal"};
    out.push_back(std::move(finding));
}

}  // namespace brusk::evidence::checks
