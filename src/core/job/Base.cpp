// Plans with nothing tightened first, then the stage that is asked for.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/Base.h"

#include "core/job/Rounds.h"

namespace brusk::job {

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

}  // namespace brusk::job
