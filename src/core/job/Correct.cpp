// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/Correct.h"

#include "core/evidence/MapAxes.h"
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

std::vector<const recording::Recording*> RoundRecordings::pointers() const {
    std::vector<const recording::Recording*> out;
    out.reserve(recordings.size());
    for (const auto& r : recordings)
        out.push_back(r.get());
    return out;
}

Result<RoundRecordings> recordingsOf(const carfolder::CarFolder& folder, int64_t round) {
    const auto entries = folder.recordings().of(round);
    if (!entries) return tl::unexpected(entries.error());
    RoundRecordings out;
    for (const auto& entry : *entries) {
        auto recording = loadRecording(folder, entry);
        if (!recording) {
            out.leftOut.push_back(entry.file + " is left out: " + recording.error().text());
            continue;
        }
        for (const std::string& damage : (*recording)->damage)
            out.leftOut.push_back("Of " + entry.file + " a part is left out: " + damage);
        out.recordings.push_back(std::move(*recording));
    }
    return out;
}

namespace {

/// The same, and none at all is an error.
Result<RoundRecordings> someRecordingsOf(const carfolder::CarFolder& folder, int64_t round) {
    auto out = recordingsOf(folder, round);
    if (!out || !out->recordings.empty()) return out;
    if (!out->leftOut.empty()) return fail(ErrorCode::BadInput, out->leftOut.front());
    return fail(ErrorCode::NotFound, "No drive was recorded on this round yet. Flash it, drive, and come back.");
}

}  // namespace

Result<evidence::AirSamples> roundSamples(const carfolder::CarFolder& folder, int64_t round,
                                          std::vector<std::string>* leftOut) {
    const auto driven = someRecordingsOf(folder, round);
    if (!driven) return tl::unexpected(driven.error());
    if (leftOut) *leftOut = driven->leftOut;
    return evidence::airSamples(driven->pointers(), {});
}

Result<evidence::DriveFigures> roundFigures(const carfolder::CarFolder& folder, int64_t round) {
    const auto driven = someRecordingsOf(folder, round);
    if (!driven) return tl::unexpected(driven.error());
    return evidence::driveFigures(driven->pointers());
}

namespace {

/// The VE map's axes on a round, and what its samples say of each cell.
struct RoundCells {
    evidence::MapAxes axes;
    std::vector<evidence::CellStat> cells;  ///< row by row as the map lies
};

Result<RoundCells> cellsOf(const Kit& kit, const carfolder::CarFolder& folder, int64_t round,
                           const evidence::AirSamples& samples) {
    const auto calibration = calibrationOf(kit, folder, round);
    if (!calibration) return tl::unexpected(calibration.error());
    const auto* map = kit.definition->parameterWithRole("ve_map");
    if (!map) return fail(ErrorCode::NotFound, "The definition has no map with the role \"ve_map\".");
    const auto table = calibration->read(*map);
    if (!table) return tl::unexpected(table.error());
    evidence::MapAxes axes(*table);
    auto cells = axes.statistics(samples);
    return RoundCells{std::move(axes), std::move(cells)};
}

constexpr double kLeastRoad_rpm = 1000, kMostRoad_rpm = 5200, kLeastRoad_kPa = 25, kMostRoad_kPa = 160;

}  // namespace

Result<std::vector<MapNode>> unseenNodes(const Kit& kit, carfolder::CarFolder& folder, int64_t round) {
    evidence::AirSamples samples;
    const auto entries = folder.recordings().of(round);
    if (!entries) return tl::unexpected(entries.error());
    if (!entries->empty()) {
        auto driven = roundSamples(folder, round);
        if (!driven) return tl::unexpected(driven.error());
        samples = std::move(*driven);
    }
    const auto seen = cellsOf(kit, folder, round, samples);
    if (!seen) return tl::unexpected(seen.error());
    std::vector<MapNode> out;
    const size_t columns = seen->axes.across().size();
    for (size_t row = 0; row < seen->axes.down().size(); ++row)
        for (size_t column = 0; column < columns; ++column) {
            const MapNode node{seen->axes.speed_rpm(row, column), seen->axes.pressure_kPa(row, column)};
            const bool road = node.speed_rpm >= kLeastRoad_rpm && node.speed_rpm <= kMostRoad_rpm &&
                              node.pressure_kPa >= kLeastRoad_kPa && node.pressure_kPa <= kMostRoad_kPa;
            if (road && seen->cells[row * columns + column].count < proposals::kVisited) out.push_back(node);
        }
    return out;
}

Result<evidence::FuelError> measureFuelError(const Kit& kit, carfolder::CarFolder& folder, int64_t round) {
    const auto samples = roundSamples(folder, round);
    if (!samples) return tl::unexpected(samples.error());
    const auto seen = cellsOf(kit, folder, round, *samples);
    if (!seen) return tl::unexpected(seen.error());
    const auto error = evidence::fuelError(seen->cells, proposals::kVisited);
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
