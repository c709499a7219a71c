// A pedal that says nothing while the car is driven, or never lets go.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/Looks.h"

namespace brusk::evidence::checks {

namespace {

constexpr double kToTheEnd = 0.85;  // of a drive

bool isDead(const Sampled& drive, size_t number, Finding& finding) {
    constexpr double kLong_s = 20, kOpens_pct = 20, kNever_s = 60, kUp_pct = 0.5;
    const auto time = drive.time_s();
    const Column pedal = drive.columnIfAny("pedal"), speed = drive.columnIfAny("engine_speed");
    const Column throttle = drive.columnIfAny("throttle"), limp = drive.columnIfAny("limp_mode");
    const auto up = [&](size_t i) { return speed[i] > 500 && !(pedal[i] > kUp_pct); };
    bool any = false;
    for (const Span& span : spansWhere(time, up, kLong_s)) {
        // Without a foot no throttle opens but for idle.
        const bool opens =
            extentOf(throttle, samplesIn(time, time[span.begin] + 1, time[span.end - 1])).range() > kOpens_pct;
        // From limp mode on, which a pedal without a signal brings about, nobody pressed it any more.
        const bool limps = extentOf(limp, span).most > 0 && time[span.end - 1] > kToTheEnd * time.back() &&
                           time[span.end - 1] - time[span.begin] > kNever_s;
        if (!opens && !limps) continue;
        finding.where.push_back({number, time[span.begin], time[span.end - 1]});
        any = true;
    }
    if (any) finding.seen = say("finding.pedal-dead", "The pedal says nothing while the car is driven.");
    return any;
}

bool neverLetsGo(const Sampled& drive, size_t number, Finding& finding) {
    constexpr double kRests_pct = 1.2, kLong_s = 100, kSame_pct = 0.2, kOften = 0.05, kMost_pct = 25, kLowest = 0.04,
                     kLeaves_pct = 4;
    constexpr size_t kVisits = 4;
    const auto time = drive.time_s();
    const Column pedal = drive.columnIfAny("pedal"), speed = drive.columnIfAny("engine_speed");
    bool any = false;
    double rests = 0;
    for (const Span& span : spansWhere(
             time, [&](size_t i) { return speed[i] > 400 && pedal[i] > kRests_pct; }, kLong_s)) {
        // A foot comes back to one place over and over only where the pedal has its stop.
        const Extent is = extentOf(pedal, span);
        // Where it lets go later on, it was a foot.
        if (time[span.end - 1] < kToTheEnd * time.back()) continue;
        std::vector<float> sorted(pedal.begin() + static_cast<long>(span.begin),
                                  pedal.begin() + static_cast<long>(span.end));
        const auto low = sorted.begin() + static_cast<long>(kLowest * static_cast<double>(sorted.size()));
        std::nth_element(sorted.begin(), low, sorted.end());
        const auto rest_pct = static_cast<double>(*low);
        size_t resting = 0;
        for (size_t i = span.begin; i < span.end; ++i)
            resting += std::abs(static_cast<double>(pedal[i]) - rest_pct) < kSame_pct ? 1 : 0;
        if (static_cast<double>(resting) < kOften * static_cast<double>(span.end - span.begin) || rest_pct > kMost_pct)
            continue;
        if (is.range() < 5 * kRests_pct) continue;
        size_t visits = 0;
        bool left = true;
        for (size_t i = span.begin; i < span.end; ++i) {
            const double over = static_cast<double>(pedal[i]) - rest_pct;
            if (left && std::abs(over) < kSame_pct) ++visits, left = false;
            if (over > kLeaves_pct) left = true;
        }
        if (visits < kVisits) continue;
        rests = rest_pct, any = true;
        finding.where.push_back({number, time[span.begin], time[span.end - 1]});
    }
    if (!any) return false;
    finding.seen = say("finding.pedal-offset", "The pedal rests at {0} %: it never says that no foot is on it.",
                       {formatNumber(rests, 1)});
    finding.figures = {{"pedal_pct", rests}};
    return true;
}

}  // namespace

void pedalDead(const Looked& at, Found& out) {
    for (size_t d = 0; d < at.drives.size(); ++d) {
        const Sampled& drive = at.drives[d];
        if (drive.columnIfAny("pedal").empty() || drive.columnIfAny("engine_speed").empty()) continue;
        Finding finding;
        const bool dead = isDead(drive, d, finding);
        if (!dead && !neverLetsGo(drive, d, finding)) continue;
        finding.seriousness = Seriousness::Warn;
        finding.certainty = 0.9;
        finding.means = {dead ? "the pedal's sensor is dead, or its plug is off" : "the pedal's sensor is off",
                         "something lies on the pedal"};
        finding.todo = "Look at the pedal's plug, and have its ends learned, before anything else.";
        finding.place = {"Car", "", std::nullopt};
        finding.lanes = {"pedal", "throttle", "vehicle_speed", "engine_speed"};
        out.push_back(std::move(finding));
        return;
    }
}

}  // namespace brusk::evidence::checks
