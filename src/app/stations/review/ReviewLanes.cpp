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

std::vector<Chosen> byRole(const recording::Recording& recording) {
    std::vector<Chosen> out;
    for (const LaneChoice& choice : kLanes)
        if (const auto place = recording.findRole(choice.role)) {
            const auto& channel = *place.channel;
            const std::string& name = channel.description.empty() ? channel.name : channel.description;
            out.push_back({{QString::fromStdString(name), QString::fromStdString(channel.unit), choice.lane,
                            choice.colour, choice.decimals, choice.low, choice.high, nullptr},
                           place});
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

std::vector<ReviewLane> reviewLanes(const recording::Recording& recording) {
    auto chosen = byRole(recording);
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

}  // namespace brusk::app
