// Engine speed that runs away from the road in a gear, under load.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/Gears.h"

namespace brusk::evidence::checks {

namespace {

/// Logarithms of engine over road speed in steady driving, rising.
std::vector<double> ratiosSeen(const Looked& at) {
    std::vector<double> out;
    for (const SteadyRow& row : at.steady)
        if (row.road_kmh > 15 && !row.idle) out.push_back(std::log(row.speed_rpm / row.road_kmh));
    for (const double ratio : gearRatios(at))
        out.push_back(std::log(ratio));
    std::sort(out.begin(), out.end());
    return out;
}

}  // namespace

void clutchSlips(const Looked& at, Found& out) {
    constexpr double kSlips = 0.08, kOtherGear = 0.25, kNear = 0.05, kLong_s = 0.6, kSettled_s = 0.8, kOver_s = 0.8,
                     kMoves = 0.02, kRolls_kmh = 15, kLoad_pct = 70, kPushed_kPa = 40;
    Finding finding;
    double most = 0;
    for (size_t d = 0; d < at.drives.size(); ++d) {
        const Sampled& drive = at.drives[d];
        const auto time = drive.time_s();
        const Column speed = drive.columnIfAny("engine_speed"), road = drive.columnIfAny("vehicle_speed");
        const Column pedal = drive.columnIfAny("pedal");
        if (speed.empty() || road.empty() || pedal.empty()) continue;
        const auto known = ratiosSeen(at);
        const auto slips = [&](size_t i) {
            const double ratio = std::log(valueAt(speed, i) / valueAt(road, i));
            const auto above = std::upper_bound(known.begin(), known.end(), ratio);
            if (above == known.begin()) return false;
            const double over = ratio - *std::prev(above);
            // Between two gears, or on its way: one that was changed to stays.
            const bool between = over < kOtherGear && (above == known.end() || *above - ratio > kNear);
            const size_t then = sampleAt(time, time[i] - kOver_s);
            const bool moves = std::abs(ratio - std::log(valueAt(speed, then) / valueAt(road, then))) > kMoves;
            return over > kSlips && (between || moves);
        };
        double down_s = -1;
        const auto loaded = [&](size_t i) {
            const bool down = pedal[i] > kLoad_pct && road[i] > kRolls_kmh;
            down_s = !down ? -1 : down_s < 0 ? time[i] : down_s;
            return down && time[i] - down_s > kSettled_s && slips(i);
        };
        for (const Span& span : spansWhere(time, loaded, kLong_s, 0.1)) {
            const size_t middle = (span.begin + span.end) / 2;
            const double ratio = std::log(valueAt(speed, middle) / valueAt(road, middle));
            most =
                std::max(most, std::exp(ratio - *std::prev(std::upper_bound(known.begin(), known.end(), ratio))) - 1);
            finding.where.push_back({d, time[span.begin], time[span.end - 1]});
        }
    }
    if (finding.where.size() < 2) return;
    // Torque that nobody asked for makes any clutch slip: what makes the boost comes first.
    const auto pulls = eventsOfKind(at, roles::kPull);
    const bool pushed = std::any_of(pulls.begin(), pulls.end(),
                                    [](const Of& pull) { return pull.event->figure("overshoot_kpa") > kPushed_kPa; });
    finding.seriousness = pushed ? Seriousness::Note : Seriousness::Warn;
    finding.certainty = pushed ? 0.45 : 0.9;
    finding.seen =
        say("finding.clutch-slips", "Under load the engine runs up to {0} % ahead of the road in one gear, {1} times.",
            {formatNumber(100 * most, 0), std::to_string(finding.where.size())});
    finding.means = {"the clutch slips", "the wheels spin"};
    finding.todo = "Have the clutch looked at before torque is added; boost and power of these pulls say nothing.";
    finding.place = {"Car", "", std::nullopt};
    finding.figures = {{"ratio", 1 + most}};
    for (const Stretch& where : finding.where)
        finding.taints.push_back({"vehicle_speed", where});
    finding.lanes = {"engine_speed", "vehicle_speed", "pedal", "torque_actual"};
    out.push_back(std::move(finding));
}

}  // namespace brusk::evidence::checks
