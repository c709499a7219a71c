// Work that falls into pieces, on all of the machine's processors.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstddef>
#include <functional>

namespace brusk {

/// Threads that inParallel() uses: one a processor.
size_t threads();
/// What threads() answers from now on, for measuring; 0: as many as the machine has.
void setThreads(size_t count);

/// Calls work(0) to work(count - 1), several at a time, in no order, and returns when all are done. `work` must not
/// throw. The thread that asks takes part; a single piece runs on it alone.
void inParallel(size_t count, const std::function<void(size_t)>& work);

}  // namespace brusk
