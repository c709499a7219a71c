// What the system is told about memory that will be filled.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstddef>

namespace brusk {

/// That this room will be filled from its beginning: in pages of 2 MB it comes for less than in those of 4 KB. A wish;
/// nothing depends on it.
void askForLargePages(const void* room, size_t bytes);

}  // namespace brusk
