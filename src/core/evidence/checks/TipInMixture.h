// What lean-tip-in and rich-tip-in have in common.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/evidence/checks/Looks.h"

namespace brusk::evidence::checks {

/// Warm tip-ins under one target, most of which leave an area to one side.
void tipInMixture(const Looked& at, bool lean, Found& out);

}  // namespace brusk::evidence::checks
