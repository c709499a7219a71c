// Edits on a round's calibration, checksums mended, kept with the reason.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/Rounds.h"

#include "core/base/Text.h"
#include "core/job/Keeping.h"

namespace brusk::job {

namespace {

Result<calibration::Calibration> seenThrough(const Kit& kit, const Result<std::shared_ptr<const image::Image>>& image) {
    if (!image) return tl::unexpected(image.error());
    calibration::Calibration calibration(kit.definition, **image);
    if (auto done = calibration.matchesDefinition(); !done) return tl::unexpected(done.error());
    return calibration;
}

}  // namespace

Result<calibration::Calibration> calibrationOf(const Kit& kit, const carfolder::CarFolder& folder, int64_t round) {
    return seenThrough(kit, folder.rounds().image(round));
}

Result<calibration::Calibration> calibrationToShow(const Kit& kit, const carfolder::CarFolder& folder, int64_t round) {
    return seenThrough(kit, folder.rounds().imageToShow(round));
}

RoundReason reasonOf(const proposals::BasePlan& plan, const proposals::BuildSheet& sheet) {
    RoundReason out;
    out.kind = "base";
    out.text = plan.account(sheet);
    return out;
}

RoundReason reasonOf(const proposals::AirCorrection& air, const proposals::AirCorrectionOptions& options,
                     const evidence::Mixture& mixture) {
    RoundReason out;
    out.kind = "air";
    out.settings = {{"strength", options.strength}, {"largest-doubt", options.largestDoubt}};
    out.now = {{"fuel_error_rms_pct", air.now.rms * 100}};
    out.expected = {{"fuel_error_rms_pct", air.expected * 100}};
    out.cells = air.changed;
    out.text = "Fuel was off by " + formatNumber(air.now.rms * 100, 2) + " % over " + std::to_string(air.now.cells) +
               " cells, by " + std::to_string(mixture.size()) + " settled samples; " +
               formatNumber(air.expected * 100, 2) + " % are expected to be left.";
    return out;
}

Result<carfolder::Round> makeRound(const Kit& kit, carfolder::CarFolder& folder, int64_t parent,
                                   const std::vector<calibration::Edit>& edits, const std::string& title,
                                   const RoundReason& reason) {
    auto calibration = calibrationOf(kit, folder, parent);
    if (!calibration) return tl::unexpected(calibration.error());
    for (const auto& edit : edits)
        if (auto done = calibration->apply(edit); !done) return tl::unexpected(done.error());
    if (auto mended = calibration->mendChecksums(kit.profile.checksums); !mended) return tl::unexpected(mended.error());
    return folder.rounds().add(parent, calibration->image(), title, reason.text, toJson(reason));
}

}  // namespace brusk::job
