// The bench car as a bus on a Unix-domain socket: every frame one peer sends, all others receive.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <atomic>
#include <string>

#include "benchcar/BenchCar.h"
#include "core/base/Result.h"

namespace brusk::benchcar {

/// Listens on `path` and runs the car in real time until `stop` is set. A socket left behind by a dead process is
/// replaced; one that still answers is refused.
[[nodiscard]] Done serveSocket(BenchCar& car, const std::string& path, const std::atomic<bool>& stop);

}  // namespace brusk::benchcar
