// The airflow meter and speed-density against each other, and which of them the lambda loop agrees with.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/evidence/checks/Looks.h"

namespace brusk::evidence::checks {

struct Models {
    enum class Blame : uint8_t {
        None,        ///< they agree, or nobody can tell
        Pressure,    ///< speed-density is off
        Meter,       ///< the meter is, by no share that is the same everywhere
        MeterShare,  ///< the meter is, by the same share everywhere
        LeakIn       ///< the meter lacks the same flow everywhere
    } blame = Blame::None;
    double meterOff = 0;    ///< share that the meter reads too much
    double densityOff = 0;  ///< share that speed-density says too much
    double leak_gs = 0;     ///< of LeakIn
    double bends = 0;       ///< of speed-density from the greatest flow to the least, as the loop tells: above nil lean
    double atIdle = 0;      ///< share of the air at the least flow that was seen
    size_t rows = 0;
};
const Models& modelsOf(const Looked& at);

/// How much less the meter says than speed-density while air rises than while it falls, as a share.
double meterLateness(const Looked& at);

}  // namespace brusk::evidence::checks
