// Lean or rich areas after the foot moved.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/TipInMixture.h"

namespace brusk::evidence::checks {

void tipInMixture(const Looked& at, bool lean, Found& out) {
    constexpr double kArea = 0.13, kSame = 0.03, kAfter_s = 2, kWarm_C = 65;
    constexpr size_t kFewest = 4;
    std::vector<double> areas;
    size_t tips = 0;
    Finding finding;
    for (const Of& tip : eventsOfKind(at, roles::kTipIn)) {
        const Sampled& drive = at.drives[tip.drive];
        const size_t i = sampleAt(drive.time_s(), tip.event->from_s);
        if (valueAt(drive.columnIfAny("coolant"), i) < kWarm_C) continue;
        // Where another mixture is asked for, the difference is that.
        const Span after = samplesIn(drive.time_s(), tip.event->from_s - 0.2, tip.event->to_s + kAfter_s);
        if (extentOf(drive.columnIfAny("lambda_asked"), after).range() > kSame) continue;
        const double area = tip.event->figure(lean ? "lean_area_lambda_s" : "rich_area_lambda_s");
        const double other = tip.event->figure(lean ? "rich_area_lambda_s" : "lean_area_lambda_s");
        if (std::isnan(area)) continue;
        ++tips;
        if (area < kArea || area < 2 * other) continue;
        areas.push_back(area);
        finding.where.push_back(tip.where());
    }
    if (areas.size() < kFewest || areas.size() * 2 <= tips) return;
    finding.seriousness = Seriousness::Warn;
    finding.certainty = 0.5;
    finding.seen =
        lean ? say("finding.lean-tip-in", "The engine goes lean when the foot goes down: {0} lambda s, in {1}.",
                   {formatNumber(medianOf(areas), 2), countText(areas.size(), tips, "tip-ins")})
             : say("finding.rich-tip-in", "The engine goes rich when the foot goes down: {0} lambda s, in {1}.",
                   {formatNumber(medianOf(areas), 2), countText(areas.size(), tips, "tip-ins")});
    finding.means = {
        lean ? "too little is added for the film on the walls" : "too much is added for the film on the walls",
        "the air of the moment is computed late"};
    finding.todo = "Correct the settled air first, then the film, by tip-ins at several temperatures.";
    finding.place = {"Correct", "transient", roles::Role("film_share")};
    finding.figures = {
        {lean ? std::string_view("lean_area_lambda_s") : std::string_view("rich_area_lambda_s"), medianOf(areas)}};
    finding.lanes = {"lambda_measured", "lambda_asked", "throttle", "manifold_pressure"};
    out.push_back(std::move(finding));
}

}  // namespace brusk::evidence::checks
