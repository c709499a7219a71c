// Samples are missing.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/Looks.h"

namespace brusk::evidence::checks {

void gaps(const Looked& at, Found& out) {
    constexpr double kMuch = 0.02;
    const auto gaps = eventsOfKind(at, roles::kGap);
    if (gaps.empty()) return;
    Finding finding;
    double missing_s = 0, driven_s = 0;
    std::string why;
    for (const Of& one : gaps) {
        finding.where.push_back(one.where());
        missing_s += one.event->to_s - one.event->from_s;
        if (why.empty() && one.event->what.find(": ") != std::string::npos)
            why = one.event->what.substr(one.event->what.find(": ") + 2);
    }
    for (size_t d = 0; d < at.drives.size(); ++d)
        driven_s += at.drives.recording(d).duration_s();
    // A key that went off was meant to.
    double meant_s = 0;
    for (const Of& one : eventsOfKind(at, roles::kKeyOff))
        meant_s += one.event->to_s - one.event->from_s;
    finding.seriousness = missing_s - meant_s > kMuch * driven_s ? Seriousness::Warn : Seriousness::Note;
    finding.certainty = 1;
    const std::string many = gaps.size() == 1 ? "1 gap" : std::to_string(gaps.size()) + " gaps";
    finding.seen = why.empty() ? say("finding.gaps", "{0} s of {1} are missing, in {2}.",
                                     {formatNumber(missing_s, 1), formatNumber(driven_s, 0), many})
                               : say("finding.gaps-why", "{0} s of {1} are missing, in {2}; the first: {3}.",
                                     {formatNumber(missing_s, 1), formatNumber(driven_s, 0), many, why});
    finding.means = {"the link or the ignition was off", "the bus was too full"};
    finding.todo = "Nothing is learned across a gap; if there are many, record fewer channels or slower ones.";
    finding.place = {"Drive", "", std::nullopt};
    finding.figures = {{"length_s", missing_s}};
    out.push_back(std::move(finding));
}

}  // namespace brusk::evidence::checks
