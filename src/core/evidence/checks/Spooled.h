// The end of each pull in which boost has settled: a turbo that still gains speed tells nothing of its wastegate.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/evidence/checks/Looks.h"

namespace brusk::evidence::checks {

struct Spooled {
    struct Pull {
        double off_kPa = 0;  ///< pressure less its target
        double duty_pct = 0;
        Stretch where;
    };
    std::vector<Pull> pulls;
};
Spooled spooledPulls(const Looked& at);

}  // namespace brusk::evidence::checks
