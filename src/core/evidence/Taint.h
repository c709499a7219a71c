// What of a drive may not be learned from, and because of which finding.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstddef>
#include <string_view>
#include <vector>

#include "core/roles/Role.h"

namespace brusk::evidence {

/// A stretch of one of the drives.
struct Stretch {
    size_t drive = 0;
    double from_s = 0, to_s = 0;
    bool holds(double time_s) const { return time_s >= from_s && time_s <= to_s; }
};

/// What may not be learned from, and where.
struct Taint {
    roles::Role role;
    Stretch where;
    std::string_view check = {};  ///< whose finding it is of
};

}  // namespace brusk::evidence
