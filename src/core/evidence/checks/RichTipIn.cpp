// Rich when the foot goes down.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/TipInMixture.h"

namespace brusk::evidence::checks {

void richTipIn(const Looked& at, Found& out) {
    tipInMixture(at, false, out);
}

}  // namespace brusk::evidence::checks
