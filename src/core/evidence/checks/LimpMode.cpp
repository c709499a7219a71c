// The controller drove in limp mode.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/Looks.h"

namespace brusk::evidence::checks {

void limpMode(const Looked& at, Found& out) {
    const auto limps = eventsOfKind(at, roles::kLimp);
    if (limps.empty()) return;
    Finding finding;
    double long_s = 0;
    for (const Of& one : limps) {
        finding.where.push_back(one.where());
        long_s += one.event->to_s - one.event->from_s;
    }
    std::string codes;
    for (const Of& code : eventsOfKind(at, roles::kCode))
        codes += (codes.empty() ? "" : ", ") + code.event->what;
    finding.seriousness = Seriousness::Warn;
    finding.certainty = 0.65;
    finding.seen = codes.empty() ? say("finding.limp-mode", "Limp mode for {0} s.", {formatNumber(long_s, 0)})
                                 : say("finding.limp-mode-code", "Limp mode for {0} s; codes: {1}.",
                                       {formatNumber(long_s, 0), codes});
    finding.means = {"a sensor failed its check", "a limit of plausibility is too tight for the parts fitted"};
    finding.todo = "Read the codes; nothing is learned from these stretches.";
    finding.place = {"Car", "plausibility", roles::Role("plaus_pressure")};
    finding.figures = {{"length_s", long_s}};
    finding.lanes = {"limp_mode", "throttle", "pedal", "manifold_pressure"};
    out.push_back(std::move(finding));
}

}  // namespace brusk::evidence::checks
