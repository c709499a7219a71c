// A recording that was made on other bytes than those it is held against.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/Shared.h"

namespace brusk::evidence::checks {

void wrongRound(const Looked& at, Found& out) {
    if (!at.inCar) return;
    // One channel that is scaled wrong explains all maps alike; maps that each need an explanation of their own were
    // not in the car.
    const AxisCheck& axes = axesOf(at);
    std::string names;
    std::vector<std::string> explanations;
    Finding finding;
    for (const auto& one : axes.found) {
        std::string explained = one.kind == AxisMismatch::Kind::Unexplained
                                    ? one.parameter
                                    : one.channel + one.instead + formatNumber(one.factor, 1);
        if (std::find(explanations.begin(), explanations.end(), explained) == explanations.end())
            explanations.push_back(std::move(explained));
        names += (names.empty() ? "" : ", ") + std::string(one.recorded.title());
        finding.lanes.push_back(one.recorded);
    }
    constexpr size_t kMaps = 2;
    if (explanations.size() < kMaps) return;
    finding.seriousness = Seriousness::Warn;
    finding.certainty = 0.9;
    finding.seen =
        say("finding.wrong-round", "What was recorded is not what these bytes say at the same inputs: {0}.", {names});
    finding.means = {"the recording was made on other bytes than these", "the definition is another software's"};
    finding.todo = "Name the round that was in the car; nothing is learned from it here.";
    finding.place = {"Car", "", std::nullopt};
    finding.where = wholeDrives(at);
    for (const Stretch& where : finding.where)
        finding.taints.push_back({"engine_speed", where});
    out.push_back(std::move(finding));
}

}  // namespace brusk::evidence::checks
