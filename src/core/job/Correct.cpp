// Reads the VE map's cells from the drives; each warning is one fact in one sentence.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/Correct.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

#include "core/base/Text.h"
#include "core/evidence/Finding.h"
#include "core/evidence/MapSamples.h"
#include "core/job/Keeping.h"

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

std::vector<std::string> warningsOf(const evidence::Drives& drives, const RoundCorrections& about) {
    constexpr double kApart = 0.02;
    std::vector<std::string> out;
    for (const auto& mismatch : about.axes.found)
        out.push_back(mismatch.sentence());
    // What is wrong with the car is not put right by its maps.
    if (const auto& found = drives.findings())
        for (const evidence::Finding& one : found->found)
            if (one.seriousness >= evidence::Seriousness::Warn) out.push_back("Found in these drives: " + one.seen);
    if (about.firstPull && about.firstPull->betterCleared()) out.push_back(about.firstPull->sentence());
    const auto& mixture = drives.mixture();
    if (mixture) out.insert(out.end(), mixture->without.begin(), mixture->without.end());
    if (mixture && !mixture->forms.agree())
        out.push_back("Injector pulses tell a mixture that is " + formatNumber(mixture->forms.mean * 100, 1) +
                      " % off what the trims tell: flow, dead time or density in the calibration are not what the "
                      "controller uses, or another trim acts.");
    if (const auto* air = about.corrections.of("air"); air && !air->tables.empty())
        for (const double factor : air->tables[0].fit.drives)
            if (std::abs(factor) > kApart)
                out.push_back("One drive differs by " + formatNumber(factor * 100, 1) +
                              " % from the others everywhere: another fuel, or other weather?");
    return out;
}

/// Whether what a kind corrects differs between two rounds.
bool changes(std::string_view kind, const calibration::Calibration& one, const calibration::Calibration& other) {
    const auto* known = proposals::correctionKind(kind);
    if (!known) return false;
    const auto& roles = known->need().parameters;
    return std::any_of(roles.begin(), roles.end(), [&](roles::Role role) {
        const auto* parameter = one.definition().parameterWithRole(role);
        if (!parameter) return false;
        const auto a = one.read(*parameter), b = other.read(*parameter);
        return a && b && a->raw != b->raw;
    });
}

/// ln of what every cell of a table was multiplied by.
std::vector<double> lnChange(const calibration::Calibration& before, const calibration::Calibration& after,
                             const definition::Parameter& parameter) {
    std::vector<double> out;
    const auto was = before.read(parameter), is = after.read(parameter);
    if (!was || !is || was->values.size() != is->values.size()) return out;
    out.reserve(was->values.size());
    for (size_t i = 0; i < was->values.size(); ++i)
        out.push_back(std::log(is->values[i] / was->values[i]));
    return out;
}

constexpr double kLeastRoad_rpm = 1000, kMostRoad_rpm = 5200, kLeastRoad_kPa = 25, kMostRoad_kPa = 160;

}  // namespace

Result<RoundCorrections> correctRound(const calibration::Calibration& inCar, const evidence::Drives& drives,
                                      const proposals::CorrectionChoices& choices, const std::function<bool()>& stop) {
    auto corrections = proposals::correctAll(inCar, drives, choices, stop);
    if (!corrections) return tl::unexpected(corrections.error());
    calibration::Calibration next = inCar;
    for (const auto& edit : corrections->edits())
        if (auto done = next.apply(edit); !done) return tl::unexpected(done.error());
    RoundCorrections out{
        std::move(*corrections), evidence::checkAxes(inCar, drives), evidence::firstPull(inCar, drives, next), {}};
    out.warnings = warningsOf(drives, out);
    return out;
}

Result<std::vector<proposals::KeptPromise>> accountOf(const carfolder::CarFolder& folder, int64_t round) {
    std::vector<proposals::KeptPromise> out;
    for (std::optional<int64_t> at = round; at;) {
        const auto one = folder.rounds().byId(*at);
        if (!one) return tl::unexpected(one.error());
        const auto reason = reasonFromJson(one->reason);
        const auto came = cameFromJson(one->came);
        if (!reason) return tl::unexpected(reason.error());
        if (!came) return tl::unexpected(came.error());
        // From the newest to the oldest, and within a round too: it is turned round as a whole.
        for (auto promise = reason->promised.rbegin(); promise != reason->promised.rend(); ++promise) {
            auto& kept = out.emplace_back(proposals::KeptPromise{one->number, promise->kind, promise->figure,
                                                                 promise->now, promise->expected, promise->doubt});
            if (const auto found = came->find(promise->kind); found != came->end())
                kept.came = found->second.value, kept.cameDoubt = found->second.doubt, kept.cells = found->second.cells;
        }
        at = one->parent;
    }
    std::reverse(out.begin(), out.end());
    return out;
}

Done keepAccount(const Kit& kit, carfolder::CarFolder& folder, int64_t round, const evidence::Drives& drives) {
    const auto one = folder.rounds().byId(round);
    if (!one) return tl::unexpected(one.error());
    const auto reason = reasonFromJson(one->reason);
    if (!reason) return tl::unexpected(reason.error());
    if (reason->promised.empty()) return {};
    const auto inCar = calibrationOf(kit, folder, round);
    if (!inCar) return tl::unexpected(inCar.error());
    // What was added to a draft and taken back again is no promise of these bytes.
    const auto before = one->parent ? calibrationOf(kit, folder, *one->parent) : inCar;
    if (!before) return tl::unexpected(before.error());
    proposals::CorrectionChoices choices;
    for (const Promised& promise : reason->promised)
        if (changes(promise.kind, *before, *inCar)) choices.only.push_back(promise.kind);
    if (choices.only.empty()) return {};
    // Each is measured on these very bytes: none stands on another.
    choices.left = choices.only;
    const auto measured = proposals::correctAll(*inCar, drives, choices);
    if (!measured) return tl::unexpected(measured.error());
    std::map<std::string, Came> came;
    std::set<std::string> told;
    for (const Promised& promise : reason->promised) {
        const auto* kind = measured->of(promise.kind);
        if (!kind || !kind->promise || !std::isfinite(kind->promise->now) || !std::isfinite(kind->promise->leftDoubt))
            continue;
        Came& mine = came[promise.kind] = {kind->promise->now, kind->promise->leftDoubt};
        if (kind->tables.empty()) continue;
        // Of two that change one table the later speaks of what the earlier left: its figure tells it.
        const definition::Parameter& parameter = *kind->tables[0].table.parameter;
        if (!told.insert(parameter.name).second) continue;
        const auto made = lnChange(*before, *inCar, parameter);
        mine.cells = proposals::matchOf(proposals::heldAgainst(promise.cells, made, kind->promise->cells));
    }
    if (came.empty()) return {};
    return folder.rounds().setCame(round, toJson(came));
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
    if (auto done = keepAccount(kit, folder, round, drives); !done) return tl::unexpected(done.error());
    return error;
}

}  // namespace brusk::job
