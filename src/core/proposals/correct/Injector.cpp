// Dead time and flow of the injectors, by the one fit that says which part the mixture's error belongs to. Flow can't
// be told from air by mixture alone: it needs a second witness.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <cmath>

#include "core/base/Say.h"
#include "core/base/Text.h"
#include "core/calibration/RoleUnits.h"
#include "core/proposals/correct/Kinds.h"

namespace brusk::proposals::correct {
namespace {

using Id = evidence::Suspect::Id;

/// RMS over the cells of what an error of the dead time adds to the fuel asked for: share, by the open time.
double shows(const evidence::MixtureBlame& blame, double dead_us) {
    double squares = 0, n = 0;
    for (const auto& cell : blame.cells) {
        const double open_us = cell.open_ms * 1000;
        if (!(open_us > 100)) continue;
        squares += dead_us / open_us * dead_us / open_us, ++n;
    }
    return n > 0 ? std::sqrt(squares / n) : 0;
}

}  // namespace

Result<Correction> injector(const CorrectionInput& in) {
    Correction out;
    out.kind = &in.kind;
    const auto& blame = in.blame;
    if (blame.parts.empty()) {
        out.line = "for more settled driving, from idle to load";
        return out;
    }
    const auto& dead = blame.of(Id::DeadTime);
    const auto& flow = blame.of(Id::Flow);
    const double strength = in.setting("strength") / 100;
    const auto* curve = in.calibration.definition().parameterWithRole("injector_dead_time");
    const auto* value = in.calibration.definition().parameterWithRole("injector_flow");
    const auto curveUnits = calibration::roleUnits(in.calibration, *curve);
    auto table = in.calibration.read(*curve);
    auto size = in.calibration.read(*value);
    if (!curveUnits) return tl::unexpected(curveUnits.error());
    if (!table) return tl::unexpected(table.error());
    if (!size) return tl::unexpected(size.error());
    // If nothing else is broken: then its error is the only one whose share grows with one over the open time. The
    // doubt supposes cars of which nothing is known; over drawn cars it is wider than the error by this much.
    constexpr double kProved = 0.5, kBelieved = 0.3, kSure = 2.33;
    const bool alone = blame.chanceOfNothing + dead.chance > kBelieved;
    // Where more is broken the fit of everything at once tells, as far as it can.
    const double off_us = (alone ? dead.alone : dead.off) * 1000,
                 doubt_us = (alone ? kProved * dead.aloneDoubt : dead.doubt) * 1000;
    // Flow: only where somebody told how much was filled in; the fuel that was asked for then is the flow's.
    const bool witness = in.facts.poured.has_value();
    const double now = shows(blame, off_us) * 100, left = shows(blame, doubt_us) * 100;
    const double flowOff = witness ? flow.off * 100 : 0, flowDoubt = witness ? flow.doubt * 100 : 0;
    out.formula =
        say("correct.injector-formula",
            "1/r = (kappa/A)(1 - delta/o); delta = {0} \u00b1 {1} us over {2} cells, o = pulse less dead time",
            {formatNumber(off_us, 0), formatNumber(doubt_us, 0), std::to_string(blame.cells.size())});

    const bool known = doubt_us <= in.setting("largest-doubt");
    out.estimates.push_back({"dead time", "us", off_us, doubt_us});
    if (witness) out.estimates.push_back({"flow", "%", -100 * flow.off, 100 * flow.doubt});
    const bool passes = known && std::abs(off_us) > kSure * doubt_us;
    const bool flowPasses = witness && std::abs(flow.off) > kSure * flow.doubt;
    // A dead time that nobody knows says nothing beside a flow that the pump has told. What is not made stays off, and
    // of what is made nothing is left but what isn't known.
    const bool counts = known || !witness;
    const double deadNow = counts ? now : 0, deadDoubt = counts ? left : 0;
    const double deadLeft = passes ? (1 - strength) * deadNow : deadNow,
                 flowLeft = flowPasses ? (1 - strength) * flowOff : flowOff;
    const double doubt = std::hypot(deadDoubt, flowDoubt);
    out.promise =
        in.promise(std::hypot(deadNow, flowOff), std::hypot(deadLeft, flowLeft, doubt), doubt, kFolded * doubt);
    auto cells = blame.cells;
    std::sort(cells.begin(), cells.end(), [](const auto& a, const auto& b) { return a.open_ms < b.open_ms; });
    out.pointsUnit = "%", out.pointsAlong = "injector open, ms";
    for (const auto& cell : cells) {
        const double ln = std::isfinite(cell.density) ? cell.density : cell.meter;
        const double taken =
            (passes ? strength * off_us / 1000 / cell.open_ms : 0) + (flowPasses ? strength * flow.off : 0);
        out.points.push_back(
            {say("correct.injector-point", "{0} ms open, {1} kPa, {2} rpm",
                 {formatNumber(cell.open_ms, 1), formatNumber(cell.pressure_kPa, 0), formatNumber(cell.speed_rpm, 0)}),
             ln * 100,
             (ln - taken) * 100,
             {},
             cell.open_ms});
    }
    if (passes) {
        std::vector<double> wanted = table->values;
        const double perUs = curveUnits->value.change(1);
        for (double& v : wanted)
            v += strength * off_us / perUs;
        calibration::Edit edit;
        auto change = setTable(in.calibration, *curve, wanted, edit, "Injector dead time from evidence");
        if (!change) return tl::unexpected(change.error());
        if (change->changes()) out.values.push_back(std::move(*change)), out.edits.push_back(std::move(edit));
    }
    if (flowPasses) {
        // Of less fuel than was reckoned more was asked for: the injectors give less.
        calibration::Edit edit;
        auto change = setTable(in.calibration, *value, {size->values[0] * std::exp(-strength * flow.off)}, edit,
                               "Injector flow from litres");
        if (!change) return tl::unexpected(change.error());
        if (change->changes()) out.values.push_back(std::move(*change)), out.edits.push_back(std::move(edit));
    }
    out.warnings = blame.notApartFrom({Id::Flow, Id::DeadTime});
    judge(out, passes || flowPasses, known);
    const std::string dead_ = formatNumber(off_us, 0) + " \u00b1 " + formatNumber(doubt_us, 0) + " us";
    const std::string size_ = formatNumber(std::abs(off_us), 0), within = formatNumber(doubt_us, 0);
    const std::string flowSaid =
        witness
            ? say("correct.injector-flow", "By the litres they give {0} % of what is reckoned.",
                  {formatNumber(100 * std::exp(-flow.off), 1)})
            : say("correct.injector-no-witness",
                  "Their flow can't be told from air by the mixture: fill up twice and tell the litres, or set it by "
                  "the maker's sheet.");
    out.reason = off_us < 0 ? say("correct.injector-quicker",
                                  "The injectors need {0} us less to open than the bytes say, \u00b1 {1}. {2}",
                                  {size_, within, flowSaid})
                            : say("correct.injector-slower",
                                  "The injectors need {0} us more to open than the bytes say, \u00b1 {1}. {2}",
                                  {size_, within, flowSaid});
    const std::string flow_ = formatNumber(100 * (std::exp(-flow.off) - 1), 1) + " %";
    switch (out.standing) {
        case Standing::Worth:
            out.line = !flowPasses ? say("correct.injector-dead", "dead time off by {0}", {dead_})
                       : !passes   ? say("correct.injector-flow-off", "flow off by {0}", {flow_})
                                   : say("correct.injector-both", "dead time off by {0}, flow by {1}", {dead_, flow_});
            break;
        case Standing::Right:
            out.line = say("correct.injector-right", "dead time right within {0} us", {formatNumber(doubt_us, 0)});
            break;
        case Standing::Waits:
            out.line = !alone ? say("correct.injector-besides",
                                    "until what is wrong besides is put right: the mixture speaks of another part")
                              : say("correct.injector-waits",
                                    "for driving from idle to load, lights on and off: dead time is known to {0} us",
                                    {formatNumber(doubt_us, 0)});
            break;
    }
    return out;
}

}  // namespace brusk::proposals::correct
