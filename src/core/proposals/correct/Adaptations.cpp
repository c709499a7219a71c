// What the controller has learned on the bytes that were in it: obsolete once these are put right, so that it is
// cleared when they are flashed. No byte changes here.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <cmath>

#include "core/base/Say.h"
#include "core/base/Text.h"
#include "core/evidence/FirstPull.h"
#include "core/evidence/Learned.h"
#include "core/proposals/correct/Kinds.h"

namespace brusk::proposals::correct {

Result<Correction> adaptations(const CorrectionInput& in) {
    constexpr double kNothing_pct = 0.5;
    Correction out;
    out.kind = &in.kind;
    out.pointsUnit = "%";
    std::vector<evidence::LearnedValue> newest;
    for (size_t d = 0; d < in.drives.size(); ++d)
        if (auto learned = evidence::learnedOf(in.drives.recording(d)); !learned.empty()) newest = std::move(learned);
    if (newest.empty()) {
        out.line = "for a recording that keeps what was learned";
        return out;
    }
    double most = 0;
    for (const auto& value : newest) {
        const double is = std::isfinite(value.to) ? value.to : value.from;
        if (!std::isfinite(is) || value.role.unit() != "%") continue;
        if (value.role == roles::Role("octane_factor")) continue;
        out.points.push_back({std::string(value.role.title()), is, 0, {}});
        if (value.role != roles::Role("idle_learned")) most = std::max(most, std::abs(is));
    }
    out.standing = Standing::Right;
    out.line = most < kNothing_pct
                   ? std::string("nothing learned")
                   : say("correct.learned", "up to {0} %: clear when you flash", {formatNumber(most, 1)});
    if (const auto pull = evidence::firstPull(in.calibration, in.drives)) out.reason = pull->sentence();
    out.formula = "lambda of the first pull / asked = 1 / (1 + learned trim of its zone), once the map is right";
    return out;
}

}  // namespace brusk::proposals::correct
