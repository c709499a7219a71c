// Whole pages of a room, and the call.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/Memory.h"

#include <sys/mman.h>
#include <unistd.h>

#include <cstdint>

namespace brusk {

void askForLargePages(const void* room, size_t bytes) {
    const auto page = static_cast<uintptr_t>(sysconf(_SC_PAGESIZE));
    const auto begin = reinterpret_cast<uintptr_t>(room);
    const uintptr_t from = (begin + page - 1) / page * page, to = (begin + bytes) / page * page;
    if (to > from) madvise(reinterpret_cast<void*>(from), to - from, MADV_HUGEPAGE);  // NOLINT: whole pages of the room
}

}  // namespace brusk
