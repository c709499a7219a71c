// What several kinds do alike: caution from settings, a table's line and promise, a parameter set as a whole.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <cmath>

#include "core/base/Say.h"
#include "core/base/Text.h"
#include "core/proposals/correct/Kinds.h"

namespace brusk::proposals::correct {
namespace {

std::string cellsText(size_t count) {
    return std::to_string(count) + (count == 1 ? " cell" : " cells");
}

}  // namespace

Caution cautionOf(const CorrectionInput& in) {
    Caution out;
    out.strength = in.setting("strength") / 100;
    out.largestStep = in.setting("largest-step") / 100;
    out.largestDoubt = in.setting("largest-doubt") / 100;
    // Where the narrowband's loop has held it against lambda one, it is known better than by its maker's word.
    if (!in.blame.parts.empty())
        out.wideband = std::min(out.wideband, in.blame.of(evidence::Suspect::Id::Wideband).doubt);
    out.method = in.setting("method") == 0 ? Method::CellFit : Method::NearestCell;
    return out;
}

Correction ofTable(const CorrectionInput& in, TableCorrection table, std::string formula) {
    Correction out;
    out.kind = &in.kind;
    const evidence::HeldOut& held = table.fit.heldOut;
    // Told by visits that the fit has not seen, and made only in part where a part was asked for.
    const double strength = in.setting("strength") / 100, off = table.now.rms * 100;
    const double left = held.now > 0 ? std::max(0.0, 1 - strength * held.gain() / held.now) : 1;
    // What caution does not make stays off; and no two drives tell the same of the same bytes closer than this.
    constexpr double kAgain_pct = 0.1;
    out.promise = in.promise(off, std::max(off * left, table.expected * 100),
                             std::isfinite(held.doubt()) ? std::hypot(strength * held.doubt() * 100, kAgain_pct) : off,
                             std::hypot(held.thenDoubt * 100, kAgain_pct));
    const evidence::Enough known;
    for (size_t i = 0; i < table.fit.factor.size(); ++i)
        if (known(table.fit, i))
            out.promise->cells.push_back({i, std::log(table.fit.factor[i]), table.fit.doubt[i] * in.trust.widens});
    out.formula = std::move(formula);
    out.reason = say("correct.table",
                     "{0} is off by {1} % in {2}, told by {3} samples; a visit that the fit has not seen is told to "
                     "{4} %.",
                     {in.kind.title, formatNumber(table.now.rms * 100, 2), cellsText(table.now.cells),
                      std::to_string(table.errorNow.size()), formatNumber(held.then * 100, 2)});
    const bool enough = table.sure > 0;
    if (table.changed > 0) out.edits.push_back(table.edit);
    const size_t sure = table.sure;
    constexpr double kShown = 0.002;
    if (std::abs(table.leftAlike) > kShown)
        out.warnings.push_back(
            say("correct.alike",
                "Of that all cells are off by {0} % alike, which is no more than one drive may be off from another by "
                "its fuel, the weather or the height: it stays until more drives say so.",
                {formatNumber(table.leftAlike * 100, 1)}));
    size_t leaner = 0;
    double most = 0;
    for (size_t i = 0; i < table.loaded.size(); ++i)
        if (table.loaded[i] && table.change[i] < 0) ++leaner, most = std::max(most, -table.change[i]);
    if (leaner)
        out.loosened.push_back(say("correct.leaner", "Under load {0} get less fuel, by at most {1} %.",
                                   {cellsText(leaner), formatNumber(most * 100, 1)}));
    out.tables.push_back(std::move(table));
    judge(out, held.passes(), enough);
    const TableCorrection& made = out.tables[0];
    if (made.changed)
        out.reason += " " + say("correct.table-change", "{0} change, by at most {1} %.",
                                {cellsText(made.changed), formatNumber(made.largestStep * 100, 1)});
    if (made.unsure)
        out.warnings.push_back(
            say("correct.unsure", "Of {0} that change not enough is known yet to be sure.", {cellsText(made.unsure)}));
    if (made.extended)
        out.warnings.push_back(say("correct.extended", "Nobody drove in {0} that change: they follow their neighbours.",
                                   {cellsText(made.extended)}));
    if (made.clamped)
        out.warnings.push_back(say("correct.clamped", "{0} held at a limit or at the largest step.",
                                   {cellsText(made.clamped) + (made.clamped == 1 ? " is" : " are")}));
    switch (out.standing) {
        case Standing::Worth:
            out.line = say("correct.off", "off by {0} %, {1} sure", {formatNumber(off, 1), cellsText(sure)});
            break;
        case Standing::Right:
            out.line = say("correct.right", "{0} \u00b1 {1} % over {2}",
                           {formatNumber(off, 1), formatNumber(100 * made.fit.systematic, 1), cellsText(sure)});
            break;
        case Standing::Waits:
            out.line = say("correct.too-little", "for more driving: no cell is sure yet");
            break;
    }
    return out;
}

Result<Change> setTable(const calibration::Calibration& calibration, const definition::Parameter& parameter,
                        const std::vector<double>& values, calibration::Edit& edit, const std::string& title) {
    auto before = calibration.read(parameter);
    if (!before) return tl::unexpected(before.error());
    std::vector<calibration::CellValue> wanted;
    wanted.reserve(values.size());
    for (size_t i = 0; i < values.size(); ++i)
        wanted.push_back({i, values[i]});
    auto made = calibration.prepare(parameter, wanted, calibration::AtLimit::Clamp, title);
    if (!made) return tl::unexpected(made.error());
    edit = std::move(*made);
    calibration::Calibration after = calibration;
    if (auto done = after.apply(edit); !done) return tl::unexpected(done.error());
    auto stored = after.read(parameter);
    if (!stored) return tl::unexpected(stored.error());
    return Change{std::move(*before), std::move(*stored), {}, false};
}

}  // namespace brusk::proposals::correct
