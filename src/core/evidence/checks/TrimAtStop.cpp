// Trims that can go no further.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/Looks.h"

namespace brusk::evidence::checks {
namespace {

/// Where a trim stands still at its end, for so long.
struct AtStop {
    std::vector<Stretch> where;
    double long_s = 0, at_pct = 0;
};

AtStop atStop(const Looked& at, roles::Role role, std::optional<double> limit_pct) {
    constexpr double kNear_pct = 0.3, kFar_pct = 8, kLong_s = 3, kUnknown_s = 20;
    AtStop out;
    for (size_t d = 0; d < at.drives.size(); ++d) {
        const Sampled& drive = at.drives[d];
        const auto time = drive.time_s();
        const Column trim = drive.columnIfAny(role), cut = drive.columnIfAny("fuel_cut");
        if (trim.empty()) continue;
        // Without the bytes: the end it reaches in this drive, where it stands still there.
        const Extent all = extentOf(trim, {0, trim.size()});
        const double end = limit_pct.value_or(std::max(std::abs(all.least), std::abs(all.most)));
        if (end < kFar_pct) continue;
        const auto stands = [&](size_t i) { return std::abs(trim[i]) > end - kNear_pct && !(valueAt(cut, i) > 0); };
        for (const Span& span : spansWhere(time, stands, limit_pct ? kLong_s : kUnknown_s)) {
            const Stretch where{d, time[span.begin], time[span.end - 1]};
            out.where.push_back(where);
            out.long_s += where.to_s - where.from_s;
            out.at_pct = extentOf(trim, span).mean;
        }
    }
    return out;
}

}  // namespace

void trimAtStop(const Looked& at, Found& out) {
    for (const bool isLong : {false, true}) {
        const auto stop = isLong ? atStop(at, "long_trim", parameterOf(at, "learn_limit"))
                                 : atStop(at, "short_trim", parameterOf(at, "loop_limit"));
        if (stop.where.empty()) continue;
        Finding finding;
        finding.seriousness = isLong ? Seriousness::Note : Seriousness::Warn;  // the short one has the rest
        finding.certainty = 0.5;
        finding.seen = say("finding.trim-at-stop", "The {0} trim stands at its end, {1} %, for {2} s.",
                           {isLong ? "long" : "short", formatNumber(stop.at_pct, 0), formatNumber(stop.long_s, 0)});
        finding.means = {
            stop.at_pct > 0 ? "much less fuel comes than is computed" : "much more fuel comes than is computed",
            "the air is estimated far off"};
        finding.todo = "Put the base right: injector scaling and air; what is beyond the trim's end is in the exhaust.";
        finding.place = {"Correct", "air", roles::Role("ve_map")};
        finding.where = stop.where;
        finding.figures = {
            {isLong ? std::string_view("long_trim_pct") : std::string_view("short_trim_pct"), stop.at_pct}};
        finding.lanes = {"short_trim", "long_trim", "lambda_measured", "manifold_pressure"};
        out.push_back(std::move(finding));
        return;
    }
}

}  // namespace brusk::evidence::checks
