// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/Correct.h"

#include <algorithm>
#include <cmath>

#include "core/base/Text.h"
#include "core/evidence/Learned.h"
#include "core/evidence/MapSamples.h"
#include "core/evidence/Replay.h"
#include "core/job/Drive.h"
#include "core/recording/Mdf4.h"

namespace brusk::job {

Result<calibration::Calibration> calibrationOf(const Kit& kit, const carfolder::CarFolder& folder, int64_t round) {
    auto image = folder.rounds().image(round);
    if (!image) return tl::unexpected(image.error());
    calibration::Calibration calibration(kit.definition, **image);
    if (auto done = calibration.matchesDefinition(); !done) return tl::unexpected(done.error());
    return calibration;
}

Result<std::shared_ptr<const recording::Recording>> loadRecording(const carfolder::CarFolder& folder,
                                                                  const carfolder::RecordingEntry& entry) {
    const auto bytes = folder.files().read(folder.recordings().path(entry.file));
    if (!bytes) return tl::unexpected(bytes.error());
    auto recording = recording::readMdf4(*bytes);
    if (!recording) return failBecause("The recording " + entry.file + " can't be read.", recording.error());
    return std::make_shared<const recording::Recording>(std::move(*recording));
}

bool sameParts(const proposals::BuildSheet& a, const proposals::BuildSheet& b) {
    constexpr std::string_view kElsewhere[] = {"Car", "Driveline", "Cooling"};
    for (const auto& kind : proposals::factKinds()) {
        const bool elsewhere =
            std::find(std::begin(kElsewhere), std::end(kElsewhere), kind.group) != std::end(kElsewhere);
        if (elsewhere || kind.isWish || kind.fact == proposals::Fact::RevLimit) continue;
        const auto present = [&](const proposals::BuildSheet& sheet) {
            const auto fitted = sheet.of(kind.fact);
            return fitted ? fitted : sheet.of(kind.fact, false);
        };
        if (present(a) != present(b)) return false;
    }
    return a.deadTimes == b.deadTimes && a.meterCurve == b.meterCurve && a.regulator == b.regulator &&
           a.wideband == b.wideband;
}

evidence::Drives::Options evidenceOptions(const calibration::Calibration& inCar) {
    evidence::Drives::Options out;
    out.pulses = evidence::pulseModel(inCar);
    if (out.pulses) out.stoichiometric = out.pulses->stoichiometric;
    return out;
}

namespace {

using carfolder::Conditions;

bool tellsFuel(const Conditions& c) {
    return !c.fuel.empty() || c.ethanol_pct || c.octane_RON;
}

/// What is not told of either is taken to be the same.
bool otherFuel(const Conditions& a, const Conditions& b) {
    constexpr double kEthanol_pct = 2, kOctane_RON = 0.5;
    const auto apart = [](const std::optional<double>& x, const std::optional<double>& y, double by) {
        return x && y && std::abs(*x - *y) > by;
    };
    if (apart(a.ethanol_pct, b.ethanol_pct, kEthanol_pct) || apart(a.octane_RON, b.octane_RON, kOctane_RON))
        return true;
    const bool numbers = (a.ethanol_pct && b.ethanol_pct) || (a.octane_RON && b.octane_RON);
    return !numbers && !a.fuel.empty() && !b.fuel.empty() && a.fuel != b.fuel;
}

std::string fuelText(const Conditions& c) {
    std::string out = c.fuel;
    const auto add = [&](const std::optional<double>& value, const char* unit) {
        if (value) out += (out.empty() ? "" : ", ") + formatNumber(*value, 0) + unit;
    };
    add(c.octane_RON, " RON"), add(c.ethanol_pct, " % ethanol");
    return out;
}

/// What a recording of a round must agree with.
struct Subject {
    std::shared_ptr<const image::Image> image;
    std::optional<proposals::BuildSheet> sheet;  ///< none: it can't be read, which is said elsewhere
    int64_t sheetVersion = 0;
    std::optional<Conditions> fuel;
};

Result<proposals::BuildSheet> sheetOf(const carfolder::CarFolder& folder, int64_t version) {
    const auto kept = folder.settings().sheet(version);
    if (!kept) return tl::unexpected(kept.error());
    return kept->facts.empty() ? proposals::BuildSheet{} : buildSheetFromJson(kept->facts);
}

/// Why a recording may not be learned from; empty where it may.
std::string objection(const Kit& kit, const carfolder::CarFolder& folder, const Subject& subject,
                      const carfolder::RecordingEntry& entry, const recording::Recording& recording) {
    if (subject.image && boundTo(kit, *subject.image, recording) == Bound::Other)
        return "it was recorded on other bytes than this round's.";
    if (subject.sheet && entry.sheet != 0 && entry.sheet != subject.sheetVersion)
        if (const auto then = sheetOf(folder, entry.sheet); then && !sameParts(*then, *subject.sheet))
            return "it was driven with other parts than the build sheet names now (version " +
                   std::to_string(entry.sheet) + " of it, now " + std::to_string(subject.sheetVersion) + ").";
    if (subject.fuel && otherFuel(*subject.fuel, entry.conditions))
        return "it was driven with another fuel (" + fuelText(entry.conditions) +
               "; the newest drive: " + fuelText(*subject.fuel) + ").";
    return {};
}

/// The delay that earlier drives of this car tell, the newest first.
std::optional<evidence::WidebandDelay> earlierDelay(const Kit& kit, const carfolder::CarFolder& folder, int64_t round) {
    constexpr size_t kMostTried = 6;
    const auto entries = folder.recordings().all();
    if (!entries) return std::nullopt;
    size_t tried = 0;
    for (auto entry = entries->rbegin(); entry != entries->rend() && tried < kMostTried; ++entry) {
        if (entry->round == round) continue;
        const auto recording = loadRecording(folder, *entry);
        if (!recording) continue;
        ++tried;
        const evidence::Sampled drive(*recording);
        const auto columns = evidence::engineColumns(drive);
        if (!columns) continue;
        std::optional<evidence::PulseModel> pulses;
        if (entry->round)
            if (const auto inCar = calibrationOf(kit, folder, *entry->round)) pulses = evidence::pulseModel(*inCar);
        if (const auto delay = evidence::measureDelay({*columns}, pulses); delay.measured()) return delay;
    }
    return std::nullopt;
}

Result<DrivesPtr> drivesIfAny(const Kit& kit, const carfolder::CarFolder& folder, int64_t round) {
    const auto entries = folder.recordings().of(round);
    if (!entries) return tl::unexpected(entries.error());
    Subject subject;
    evidence::Drives::Options options;
    if (!entries->empty()) {
        const auto inCar = calibrationOf(kit, folder, round);
        if (!inCar) return tl::unexpected(inCar.error());
        subject.image = std::make_shared<const image::Image>(inCar->image());
        options = evidenceOptions(*inCar);
        const auto newest = folder.settings().sheet();
        if (!newest) return tl::unexpected(newest.error());
        subject.sheetVersion = newest->version;
        if (const auto sheet = sheetOf(folder, newest->version)) subject.sheet = *sheet;
        for (const auto& entry : *entries)
            if (tellsFuel(entry.conditions)) subject.fuel = entry.conditions;
    }
    evidence::Drives::Recordings recordings;
    std::vector<std::string> leftOut;
    for (const auto& entry : *entries) {
        auto recording = loadRecording(folder, entry);
        if (!recording) {
            leftOut.push_back(entry.file + " is left out: " + recording.error().text());
            continue;
        }
        if (const auto why = objection(kit, folder, subject, entry, **recording); !why.empty()) {
            leftOut.push_back(entry.file + " is not used: " + why);
            continue;
        }
        for (const std::string& damage : (*recording)->damage)
            leftOut.push_back("Of " + entry.file + " a part is left out: " + damage);
        recordings.push_back(std::move(*recording));
        options.names.push_back(entry.file);
    }
    DrivesPtr out = std::make_shared<const evidence::Drives>(recordings, options, leftOut);
    if (const auto& mixture = out->mixture();
        mixture && !mixture->drives.empty() && mixture->delay.from == evidence::WidebandDelay::From::Default)
        if (const auto delay = earlierDelay(kit, folder, round)) {
            options.delay = delay;
            out = std::make_shared<const evidence::Drives>(std::move(recordings), options, std::move(leftOut));
        }
    return out;
}

}  // namespace

Result<DrivesPtr> drivesOf(const Kit& kit, const carfolder::CarFolder& folder, int64_t round) {
    auto out = drivesIfAny(kit, folder, round);
    if (!out || !(*out)->empty()) return out;
    if (!(*out)->leftOut().empty()) return fail(ErrorCode::BadInput, (*out)->leftOut().front());
    return fail(ErrorCode::NotFound, "No drive was recorded on this round yet. Flash it, drive, and come back.");
}

Result<DrivenLine> drivesOfLine(const Kit& kit, const carfolder::CarFolder& folder, int64_t round) {
    DrivenLine out{std::make_shared<const evidence::Drives>(evidence::Drives::Recordings()), std::nullopt, {}};
    for (std::optional<int64_t> at = round; at;) {
        auto drives = drivesIfAny(kit, folder, *at);
        if (!drives) return tl::unexpected(drives.error());
        const auto& leftOut = (*drives)->leftOut();
        out.leftOut.insert(out.leftOut.end(), leftOut.begin(), leftOut.end());
        if (!(*drives)->empty()) {
            out.drives = std::move(*drives);
            out.round = at;
            return out;
        }
        const auto here = folder.rounds().byId(*at);
        if (!here) return tl::unexpected(here.error());
        at = here->parent;
    }
    return out;
}

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

Result<BaseWork> baseWork(const Kit& kit, const carfolder::CarFolder& folder, int64_t round,
                          const proposals::BuildSheet& sheet, const proposals::Decisions& decisions,
                          proposals::Stage stage, const proposals::Donor* donor) {
    const auto kept = folder.rounds().original();
    if (!kept) return tl::unexpected(kept.error());
    const auto& original = *kept;
    if (!original) return fail(ErrorCode::NotFound, "Nothing was read yet.");
    const auto start = calibrationOf(kit, folder, original->id);
    if (!start) return tl::unexpected(start.error());
    auto loose = proposals::planBase(*start, sheet, decisions, proposals::Stage::FullLoad, donor);
    if (!loose) return tl::unexpected(loose.error());
    BaseWork out;
    out.onOriginal = round == original->id;
    out.expected = proposals::expectedParts(*start, sheet);
    out.stages = proposals::firstStartPlan(loose->result, sheet);
    if (out.onOriginal) {
        auto plan = stage == proposals::Stage::FullLoad ? std::move(loose)
                                                        : proposals::planBase(*start, sheet, decisions, stage, donor);
        if (!plan) return tl::unexpected(plan.error());
        out.plan = std::move(*plan);
    } else {
        const auto now = calibrationOf(kit, folder, round);
        if (!now) return tl::unexpected(now.error());
        auto plan = proposals::planStage(*now, loose->result, sheet, decisions, stage);
        if (!plan) return tl::unexpected(plan.error());
        out.plan = std::move(*plan);
    }
    out.contradictions = proposals::contradictions(out.plan.result, sheet);
    return out;
}

Result<carfolder::Round> makeRound(const Kit& kit, carfolder::CarFolder& folder, int64_t parent,
                                   const std::vector<calibration::Edit>& edits, const std::string& title,
                                   const std::string& note) {
    auto calibration = calibrationOf(kit, folder, parent);
    if (!calibration) return tl::unexpected(calibration.error());
    for (const auto& edit : edits)
        if (auto done = calibration->apply(edit); !done) return tl::unexpected(done.error());
    if (auto mended = calibration->mendChecksums(kit.profile.checksums); !mended) return tl::unexpected(mended.error());
    return folder.rounds().add(parent, calibration->image(), title, note);
}

}  // namespace brusk::job
