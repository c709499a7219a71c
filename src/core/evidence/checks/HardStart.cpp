// Starts that take long, or come to nothing.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/Looks.h"

namespace brusk::evidence::checks {

void hardStart(const Looked& at, Found& out) {
    constexpr double kLong_s = 3.3;
    Finding finding;
    const auto starts = eventsOfKind(at, roles::kStart);
    double longest_s = 0;
    size_t failed = 0;
    for (const Of& one : starts) {
        const double took_s = one.event->figure("start_s");
        if (one.event->what.empty() && !(took_s > kLong_s)) continue;
        failed += !one.event->what.empty();
        longest_s = std::max(longest_s, took_s);
        finding.where.push_back(one.where());
    }
    if (finding.where.empty()) return;
    finding.seriousness = Seriousness::Warn;
    finding.certainty = 0.5;
    finding.seen = failed > 0 ? say("finding.no-start", "The engine did not run in {0}.",
                                    {countText(failed, starts.size(), "starts")})
                              : say("finding.hard-start", "A start took {0} s.", {formatNumber(longest_s, 1)});
    finding.means = {"cranking fuel is wrong for this temperature", "fuel pressure is slow to come"};
    finding.todo = "Correct cranking fuel in small steps; look at the pressure if it stays.";
    finding.place = {"Correct", "cranking", std::nullopt};
    finding.figures = {{"start_s", longest_s}};
    finding.lanes = {"engine_speed", "coolant", "battery", "lambda_measured"};
    out.push_back(std::move(finding));
}

}  // namespace brusk::evidence::checks
