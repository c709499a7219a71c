// What torque and power from the road need to know of the car.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/evidence/RoadTorque.h"
#include "core/proposals/BuildSheet.h"
#include "core/units/Units.h"

namespace brusk::job {

/// By the build sheet; nothing where it does not tell mass and drag area.
std::optional<evidence::RoadFacts> roadFacts(const proposals::BuildSheet& sheet);

/// "243 +- 10 Nm at 3,400 rpm, 98 +- 4 kW at 4,500 rpm", in the units that are wished for, and what told the road.
std::string torqueSentence(const evidence::TorqueCurve& curve, const units::Preferences& units = {});

}  // namespace brusk::job
