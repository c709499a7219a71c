// A wideband that follows late.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/CutLags.h"

namespace brusk::evidence::checks {

void widebandSlow(const Looked& at, Found& out) {
    const Lags& lags = lagsOf(at);
    if (!lags.enough() || !(lags.middle() > Lags::kSlow_s) || lags.middle() > Lags::kStores_s) return;
    Finding finding;
    finding.certainty = 0.95;
    finding.seen = say("finding.wideband-slow", "The wideband follows fuel cuts with a lag of {0} s, over {1} cuts.",
                       {formatNumber(lags.middle(), 2), std::to_string(lags.begins.size())});
    finding.means = {"the wideband is old or sooted", "it sits behind the catalyst"};
    finding.todo = "Put another wideband in, or its bung nearer the engine; what moves is told late until then.";
    reportLags(lags, std::move(finding), out);
}

}  // namespace brusk::evidence::checks
