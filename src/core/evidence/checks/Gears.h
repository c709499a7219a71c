// The gearbox as the bytes know it.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/evidence/checks/Looks.h"

namespace brusk::evidence::checks {

/// Engine speed over road speed in each gear, rpm / (km/h); empty where the bytes do not tell.
std::vector<double> gearRatios(const Looked& at);

}  // namespace brusk::evidence::checks
