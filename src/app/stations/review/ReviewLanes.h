// What of a recording is drawn in Review's lanes. For a thread of the pool: columns are decoded and pyramids built
// here.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/widgets/LaneView.h"
#include "core/evidence/RoadTorque.h"
#include "core/recording/Recording.h"

namespace brusk::app {

/// One trace, in the unit it was recorded in.
struct ReviewLane {
    QString name;
    QString unit;
    int lane = 0, colour = 0, decimals = 1;
    double low = 0, high = 0;
    std::shared_ptr<const TraceData> data;
    bool played = true;  ///< by its role, and so shown in the unit of choice
};

/// Channels by the roles they play: those asked for, what shares a unit in one lane; else the usual ones; where none
/// plays one of these, the first that move.
std::vector<ReviewLane> reviewLanes(const recording::Recording& recording, const std::vector<roles::Role>& asked = {});

/// Torque from the road, with its band, in the last lane.
void addTorque(const evidence::TorqueCurve& curve, std::vector<ReviewLane>& lanes);

}  // namespace brusk::app
