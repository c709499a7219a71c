// What the mixture's error goes with: one fit for each suspect, and the one that leaves least unexplained.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/evidence/checks/Looks.h"

namespace brusk::evidence::checks {

struct Blamed {
    enum class Cause : uint8_t {
        None,
        AirInExhaust,  ///< goes with one over the airflow, lean
        FuelBesides,   ///< the same, rich
        Regulator      ///< goes with the root of fuel pressure over the manifold's
    } cause = Cause::None;
    double slope = 0;                      ///< of what it goes with
    double atLowFlow = 0, atHighFlow = 0;  ///< share of fuel that is asked for besides
    double least = 0, most = 0;            ///< manifold pressures seen, kPa
    double atLeast = 0, atMost = 0;        ///< share there
};
const Blamed& blameOf(const Looked& at);

}  // namespace brusk::evidence::checks
