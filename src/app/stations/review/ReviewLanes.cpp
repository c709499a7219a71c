// Lanes by role, or by what moves.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stations/review/ReviewLanes.h"

#include <algorithm>

namespace brusk::app {

namespace {

struct LaneChoice {
    roles::Role role;
    int lane, colour, decimals;
    double low = 0, high = 0;
};
const LaneChoice kLanes[] = {{"engine_speed", 0, 0, 0},
                             {"vehicle_speed", 0, 4, 0},
                             {"manifold_pressure", 1, 1, 1},
                             {"throttle", 1, 3, 1},
                             {"lambda_measured", 2, 2, 3, 0.7, 1.3},
                             {"lambda_asked", 2, 4, 3, 0.7, 1.3},
                             {"short_trim", 3, 3, 1},
                             {"long_trim", 3, 5, 1}};

bool moves(const recording::Column& column) {
    const auto some = column.some();
    return std::adjacent_find(some.begin(), some.end(), [](double a, double b) { return a < b || b < a; }) !=
           some.end();
}

struct Chosen {
    ReviewLane lane;
    recording::Recording::Place place;
};

std::vector<Chosen> byRole(const recording::Recording& recording, std::span<const LaneChoice> choices) {
    std::vector<Chosen> out;
    for (const LaneChoice& choice : choices)
        if (const auto place = recording.findRole(choice.role)) {
            const auto& channel = *place.channel;
            const std::string& name = channel.description.empty() ? channel.name : channel.description;
            out.push_back({{QString::fromStdString(name), QString::fromStdString(channel.unit), choice.lane,
                            choice.colour, choice.decimals, choice.low, choice.high, nullptr},
                           place});
        }
    return out;
}

/// Lanes for these roles, in their order; lanes that are left get the usual traces.
std::vector<LaneChoice> laidOut(const std::vector<roles::Role>& asked, const recording::Recording& recording) {
    constexpr int kLanesThere = 4, kColours = 6, kUsualDecimals = 2;
    std::vector<LaneChoice> out;
    std::vector<std::string_view> units;
    for (const roles::Role role : asked) {
        if (!recording.findRole(role)) continue;
        auto unit = std::find(units.begin(), units.end(), role.unit());
        if (unit == units.end() || role.unit().empty()) {
            if (units.size() == kLanesThere) continue;
            units.push_back(role.unit());
            unit = std::prev(units.end());
        }
        const auto* usual =
            std::find_if(std::begin(kLanes), std::end(kLanes), [&](const LaneChoice& one) { return one.role == role; });
        LaneChoice choice{role, static_cast<int>(unit - units.begin()), static_cast<int>(out.size()) % kColours,
                          kUsualDecimals};
        if (usual != std::end(kLanes))
            choice.decimals = usual->decimals, choice.low = usual->low, choice.high = usual->high;
        out.push_back(choice);
    }
    for (const LaneChoice& usual : kLanes) {
        if (units.size() == kLanesThere) break;
        const bool there =
            std::any_of(out.begin(), out.end(), [&](const LaneChoice& one) { return one.role == usual.role; });
        if (there || !recording.findRole(usual.role)) continue;
        units.push_back(usual.role.unit());
        out.push_back({usual.role, static_cast<int>(units.size()) - 1, static_cast<int>(out.size()) % kColours,
                       usual.decimals, usual.low, usual.high});
    }
    return out;
}

std::vector<Chosen> byMoving(const recording::Recording& recording) {
    constexpr int kMost = 8, kLanesThere = 4;
    std::vector<Chosen> out;
    for (const auto& group : recording.groups)
        for (const auto& channel : group.channels) {
            const int at = static_cast<int>(out.size());
            if (!group.timed || at >= kMost || !moves(channel.values)) continue;
            const std::string name = channel.name + (channel.unit.empty() ? "" : " " + channel.unit);
            out.push_back({{QString::fromStdString(name), QString::fromStdString(channel.unit), at % kLanesThere, at, 3,
                            0, 0, nullptr, false},
                           {&group, &channel}});
        }
    return out;
}

}  // namespace

std::vector<ReviewLane> reviewLanes(const recording::Recording& recording, const std::vector<roles::Role>& asked) {
    auto chosen = asked.empty() ? byRole(recording, kLanes) : byRole(recording, laidOut(asked, recording));
    if (chosen.empty()) chosen = byMoving(recording);
    std::vector<recording::Column> columns;
    for (const Chosen& one : chosen) {
        columns.push_back(one.place.group->time_s.column());
        columns.push_back(one.place.channel->values);
    }
    recording::decode(columns);
    std::vector<ReviewLane> out;
    for (Chosen& one : chosen) {
        one.lane.data = std::make_shared<const TraceData>(one.place.group->time_s, one.place.channel->values);
        out.push_back(std::move(one.lane));
    }
    return out;
}

void addTorque(const evidence::TorqueCurve& curve, std::vector<ReviewLane>& lanes) {
    constexpr int kLast = 3, kColour = 3, kBandColour = 5;
    std::erase_if(lanes, [](const ReviewLane& lane) { return lane.lane >= kLast; });
    const recording::Clock clock(curve.time_s);
    double low = 0, high = 0;
    for (size_t i = 0; i < curve.torque_Nm.size(); ++i)
        high = std::max(high, curve.torque_Nm[i] + evidence::TorqueCurve::kBand * curve.doubt_Nm[i]);
    const auto add = [&](const QString& name, double sign, int colour) {
        std::vector<float> values;
        for (size_t i = 0; i < curve.torque_Nm.size(); ++i)
            values.push_back(
                static_cast<float>(curve.torque_Nm[i] + sign * evidence::TorqueCurve::kBand * curve.doubt_Nm[i]));
        lanes.push_back({name, "Nm", kLast, colour, 0, low, high,
                         std::make_shared<const TraceData>(clock, recording::Column(values))});
    };
    add(QObject::tr("Torque from the road"), 0, kColour);
    add(QObject::tr("at least"), -1, kBandColour);
    add(QObject::tr("at most"), 1, kBandColour);
}

}  // namespace brusk::app
