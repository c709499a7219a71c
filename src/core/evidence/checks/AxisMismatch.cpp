// A map's recorded value is not what its cells say at the recorded inputs.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/Shared.h"

namespace brusk::evidence::checks {

void axisMismatch(const Looked& at, Found& out) {
    if (!at.inCar) return;
    for (const auto& one : axesOf(at).found) {
        Finding finding;
        finding.seriousness = Seriousness::Warn;
        finding.certainty = one.kind == AxisMismatch::Kind::Unexplained ? 0.6 : 0.9;
        finding.seen = one.sentence();
        finding.means = {one.kind == AxisMismatch::Kind::Scaled ? "the channel's scaling is wrong"
                         : one.kind == AxisMismatch::Kind::OtherChannel
                             ? "another channel moves along the axis"
                             : "these are not the bytes that were in the car"};
        finding.todo = "Put the definition right: samples lie in the wrong cells until then.";
        finding.place = {"Maps", "", one.recorded};
        finding.lanes = {one.recorded};
        out.push_back(std::move(finding));
    }
}

}  // namespace brusk::evidence::checks
