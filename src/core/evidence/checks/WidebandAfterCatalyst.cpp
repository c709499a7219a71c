// A wideband that comes seconds late: something before it stores gas.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/CutLags.h"

namespace brusk::evidence::checks {

void widebandAfterCatalyst(const Looked& at, Found& out) {
    const Lags& lags = lagsOf(at);
    if (!lags.enough() || !(lags.middle() > Lags::kStores_s)) return;
    Finding finding;
    finding.certainty = 0.9;
    finding.seen = say("finding.wideband-after-catalyst",
                       "The wideband comes seconds behind fuel cuts: a lag of {0} s, over {1} cuts.",
                       {formatNumber(lags.middle(), 1), std::to_string(lags.begins.size())});
    finding.means = {"it sits behind the catalyst", "the wideband is very old"};
    finding.todo = "Screw it in before the catalyst; only settled driving can be learned from as it is.";
    reportLags(lags, std::move(finding), out);
}

}  // namespace brusk::evidence::checks
