// Knock that the controller heard under load.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/Looks.h"

namespace brusk::evidence::checks {

void knock(const Looked& at, Found& out) {
    constexpr double kDeep_deg = 5, kSeen_deg = 3;
    constexpr size_t kSome = 3;
    const auto pulls = eventsOfKind(at, roles::kPull), heard = eventsOfKind(at, roles::kKnock);
    Finding finding;
    double most = 0, least_rpm = INFINITY, most_rpm = 0;
    size_t with = 0;
    for (const Of& pull : pulls) {
        const double before = static_cast<double>(finding.where.size());
        for (const Of& one : heard) {
            // The first half second of a foot that goes down is noisy.
            const bool inside = one.drive == pull.drive && one.event->from_s > pull.event->from_s + 0.5 &&
                                one.event->from_s < pull.event->to_s;
            if (!inside) continue;
            finding.where.push_back(one.where());
            most = std::max(most, one.event->figure("retard_deg"));
            least_rpm = std::min(least_rpm, one.event->figure("engine_rpm"));
            most_rpm = std::max(most_rpm, one.event->figure("engine_rpm"));
        }
        with += static_cast<double>(finding.where.size()) > before;
    }
    if (finding.where.size() < kSome || !(most > kSeen_deg)) return;
    finding.seriousness = most > kDeep_deg ? Seriousness::Danger : Seriousness::Warn;
    finding.certainty = with * 2 > pulls.size() ? 0.7 : 0.6;
    finding.seen =
        say("finding.knock", "Knock was heard in {0}, from {1} to {2} rpm; at most {3} degrees were taken back.",
            {countText(with, pulls.size(), "pulls"), formatNumber(least_rpm, 0), formatNumber(most_rpm, 0),
             formatNumber(most, 1)});
    finding.means = {"the spark is too far for this fuel", "the fuel is poorer than the build sheet says"};
    finding.todo = "Take spark back where it was heard, or fill up better fuel, and pull again.";
    finding.place = {"Correct", "spark", roles::Role("spark_map")};
    finding.figures = {{"retard_deg", most}, {"from_rpm", least_rpm}, {"to_rpm", most_rpm}};
    finding.lanes = {"spark", "knock_retard", "manifold_pressure", "lambda_measured"};
    out.push_back(std::move(finding));
}

}  // namespace brusk::evidence::checks
