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

RoundReason reasonOf(const proposals::Corrections& corrections, const proposals::CorrectionChoices& choices) {
    RoundReason out;
    out.kind = corrections.made.size() == 1 ? std::string(corrections.made[0]->kind->id) : "corrections";
    for (const proposals::Correction* one : corrections.made) {
        const std::string id(one->kind->id);
        if (const auto chosen = choices.settings.find(id); chosen != choices.settings.end())
            for (const auto& [setting, value] : chosen->second)
                out.settings[std::string(id).append(".").append(setting)] = value;
        out.cells += one->changed();
        out.text += (out.text.empty() ? "" : " ") + one->reason;
        const auto& promise = *one->promise;
        out.promised.push_back(
            {id, std::string(promise.figure), promise.now, promise.expected, promise.leftDoubt, promise.cells});
        out.now.try_emplace(std::string(promise.figure), promise.now);
        out.expected[std::string(promise.figure)] = promise.expected;
    }
    // Of all together, by replay.
    if (corrections.now.cells) {
        constexpr const char* kFuel = "fuel_error_rms_pct";
        out.now[kFuel] = corrections.now.rms * 100, out.expected[kFuel] = corrections.expected.rms * 100;
        out.text += " Fuel was off by " + formatNumber(corrections.now.rms * 100, 2) + " % over " +
                    std::to_string(corrections.now.cells) + " cells; " +
                    formatNumber(corrections.expected.rms * 100, 2) + " % are expected to be left.";
    }
    return out;
}

Done addReason(carfolder::CarFolder& folder, int64_t round, const RoundReason& more) {
    const auto one = folder.rounds().byId(round);
    if (!one) return tl::unexpected(one.error());
    auto reason = reasonFromJson(one->reason);
    if (!reason) return tl::unexpected(reason.error());
    if (reason->kind != more.kind) reason->kind = reason->promised.empty() ? more.kind : "corrections";
    for (const auto& [id, value] : more.settings)
        reason->settings[id] = value;
    for (const auto& [figure, value] : more.now)
        reason->now.try_emplace(figure, value);
    for (const auto& [figure, value] : more.expected)
        reason->expected[figure] = value;
    reason->cells += more.cells;
    for (const Promised& promise : more.promised) {
        std::erase_if(reason->promised, [&](const Promised& old) { return old.kind == promise.kind; });
        reason->promised.push_back(promise);
    }
    if (auto done = folder.rounds().setReason(round, toJson(*reason)); !done) return done;
    return folder.rounds().rename(round, one->title, one->note.empty() ? more.text : one->note + " " + more.text);
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
