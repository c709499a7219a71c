// A recording that was made on other bytes than those it is held against.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/Replay.h"
#include "core/evidence/checks/Looks.h"

namespace brusk::evidence::checks {

void wrongRound(const Looked& at, Found& out) {
    if (!at.inCar) return;
    // Two maps and more that do not give what was recorded are no scaling: they are other bytes.
    constexpr size_t kMaps = 2;
    size_t unexplained = 0;
    std::string names;
    Finding finding;
    for (const auto& one : checkAxes(*at.inCar, at.drives).found) {
        if (one.kind != AxisMismatch::Kind::Unexplained) continue;
        names += (unexplained++ > 0 ? ", " : "") + std::string(one.recorded.title());
        finding.lanes.push_back(one.recorded);
    }
    if (unexplained < kMaps) return;
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
