// Reads the VE map's cells from the drives; each warning is one fact in one sentence.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/Correct.h"

#include <algorithm>
#include <cmath>

#include "core/base/Text.h"
#include "core/evidence/Finding.h"
#include "core/evidence/Learned.h"
#include "core/evidence/MapSamples.h"

namespace brusk::job {

namespace {

/// What the drives on a round say of the VE map's cells.
Result<evidence::MapSamples> samplesOf(const Kit& kit, const carfolder::CarFolder& folder, int64_t round,
                                       const evidence::Drives& drives) {
    const auto calibration = calibrationOf(kit, folder, round);
    if (!calibration) return tl::unexpected(calibration.error());
    const auto* map = kit.definition->parameterWithRole("ve_map");
    if (!map) return fail(ErrorCode::NotFound, "The definition has no map with the role \"ve_map\".");
    const auto table = calibration->read(*map);
    if (!table) return tl::unexpected(table.error());
    if (const auto& mixture = drives.mixture(); !mixture) return tl::unexpected(mixture.error());
    return evidence::MapSamples(*kit.definition, *table, drives, evidence::Measure::mixture());
}

constexpr double kLeastRoad_rpm = 1000, kMostRoad_rpm = 5200, kLeastRoad_kPa = 25, kMostRoad_kPa = 160;

}  // namespace

std::vector<std::string> airWarnings(const calibration::Calibration& inCar, const evidence::Drives& drives,
                                     const evidence::CellFit& fit, const evidence::AxisCheck& axes) {
    constexpr double kApart = 0.02;
    std::vector<std::string> out;
    for (const auto& mismatch : axes.found)
        out.push_back(mismatch.sentence());
    // What is wrong with the car is not put right by its maps.
    if (const auto& found = drives.findings())
        for (const evidence::Finding& one : found->found)
            if (one.seriousness >= evidence::Seriousness::Warn) out.push_back("Found in these drives: " + one.seen);
    constexpr double kNothing_pct = 0.5;
    const auto pull = evidence::firstPull(inCar, drives);
    if (pull && std::abs(pull->withLearned_pct) >= kNothing_pct) out.push_back(pull->sentence());
    const auto& mixture = drives.mixture();
    if (mixture) out.insert(out.end(), mixture->without.begin(), mixture->without.end());
    if (mixture && !mixture->forms.agree())
        out.push_back("Injector pulses tell a mixture that is " + formatNumber(mixture->forms.mean * 100, 1) +
                      " % off what the trims tell: flow, dead time or density in the calibration are not what the "
                      "controller uses, or another trim acts.");
    for (const double factor : fit.drives)
        if (std::abs(factor) > kApart)
            out.push_back("One drive differs by " + formatNumber(factor * 100, 1) +
                          " % from the others everywhere: another fuel, or other weather?");
    return out;
}

Result<std::vector<MapNode>> unseenNodes(const Kit& kit, carfolder::CarFolder& folder, int64_t round) {
    const auto drives = drivesIfAny(kit, folder, round);
    if (!drives) return tl::unexpected(drives.error());
    const auto seen = samplesOf(kit, folder, round, **drives);
    if (!seen) return tl::unexpected(seen.error());
    const auto cells = seen->cells();
    std::vector<MapNode> out;
    const size_t columns = seen->axes.columns();
    for (size_t i = 0; i < cells.size(); ++i) {
        const auto speed = seen->axes.at("engine_speed", i / columns, i % columns);
        const auto pressure = seen->axes.at("manifold_pressure", i / columns, i % columns);
        if (!speed || !pressure) continue;
        const bool road = *speed >= kLeastRoad_rpm && *speed <= kMostRoad_rpm && *pressure >= kLeastRoad_kPa &&
                          *pressure <= kMostRoad_kPa;
        if (road && cells[i].count < proposals::kVisited) out.push_back({*speed, *pressure});
    }
    return out;
}

Result<evidence::FuelError> measureFuelError(const Kit& kit, carfolder::CarFolder& folder, int64_t round) {
    const auto drives = drivesOf(kit, folder, round);
    return drives ? measureFuelError(kit, folder, round, **drives) : tl::unexpected(drives.error());
}

Result<evidence::FuelError> measureFuelError(const Kit& kit, carfolder::CarFolder& folder, int64_t round,
                                             const evidence::Drives& drives) {
    const auto seen = samplesOf(kit, folder, round, drives);
    if (!seen) return tl::unexpected(seen.error());
    const auto error = evidence::fuelError(seen->cells(), proposals::kVisited);
    if (auto done = folder.rounds().setFuelError(round, error.rms * 100); !done) return tl::unexpected(done.error());
    return error;
}

}  // namespace brusk::job
