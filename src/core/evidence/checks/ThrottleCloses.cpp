// The throttle closes though the foot is down.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/Looks.h"

namespace brusk::evidence::checks {

void throttleCloses(const Looked& at, Found& out) {
    constexpr double kOpen_pct = 60, kWeather_kPa = 100, kThrottled = 0.78, kBoosting_kPa = 110, kBehind_pct = 25,
                     kLong_s = 1.5;
    const auto events = eventsOfKind(at, roles::kThrottleCloses);
    Finding finding;
    double least = INFINITY;
    for (const Of& one : events) {
        finding.where.push_back(one.where());
        least = std::min(least, one.event->figure("throttle_pct"));
    }
    // One that never opens in a pull does not close in it either.
    for (const Of& pull : eventsOfKind(at, roles::kPull)) {
        const Sampled& drive = at.drives[pull.drive];
        const Span span = samplesIn(drive.time_s(), pull.event->from_s, pull.event->to_s);
        const auto mostOf = [&](roles::Role role) { return extentOf(drive.columnIfAny(role), span).most; };
        const double most = mostOf("throttle"), weather = mostOf("barometric_pressure");
        // A large one fills a small engine half open.
        const double wanted = std::max(std::isnan(weather) ? kWeather_kPa : weather,
                                       std::isnan(mostOf("boost_target_now")) ? 0 : mostOf("boost_target_now"));
        // Where boost is asked for, that is; what an open throttle would give without one nobody tells at a height.
        const bool throttled =
            most < kOpen_pct && wanted > kBoosting_kPa && mostOf("manifold_pressure") < kThrottled * wanted;
        const bool refuses = most < mostOf("throttle_target") - kBehind_pct;
        if (!throttled && !refuses) continue;
        finding.where.push_back(pull.where());
        least = std::min(least, most);
    }
    double long_s = 0;
    for (const Stretch& where : finding.where)
        long_s += where.to_s - where.from_s;
    if (long_s < kLong_s) return;
    // Once alone, as on a hill, it is worth knowing; what protects or limits does it again.
    finding.seriousness = finding.where.size() > 1 ? Seriousness::Warn : Seriousness::Note;
    finding.certainty = finding.where.size() > 1 ? 0.85 : 0.4;
    finding.seen = say("finding.throttle-closes", "The throttle opens to {0} % only under full pedal, {1} times.",
                       {formatNumber(least, 0), std::to_string(finding.where.size())});
    finding.means = {"a ceiling of torque is reached", "the controller protects something: limp mode, heat, gear"};
    finding.todo =
        "Compare torque asked for with its ceiling in that gear; full-load and boost figures are left out there.";
    finding.place = {"Maps", "pedal", roles::Role("torque_ceiling")};
    finding.figures = {{"throttle_pct", least}};
    finding.lanes = {"throttle", "pedal", "torque_request", "manifold_pressure"};
    out.push_back(std::move(finding));
}

}  // namespace brusk::evidence::checks
