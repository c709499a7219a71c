// The bench car for other processes: on a Unix-domain socket, where every frame one peer sends all others receive, or
// on a CAN interface of the kernel.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <atomic>
#include <memory>
#include <string>

#include "benchcar/BenchCar.h"
#include "core/base/Result.h"

namespace brusk::benchcar {

/// Whoever else is on the bus.
class Peers {
  public:
    virtual ~Peers() = default;
    /// Waits for frames, at most so long; hands them to the car.
    virtual void exchange(BenchCar& car, int timeout_us) = 0;
    virtual void send(const can::CanFrame& frame) = 0;
};

/// Listens on `path`. A socket left behind by a dead process is replaced; one that still answers is refused.
[[nodiscard]] Result<std::unique_ptr<Peers>> listenOnSocket(const std::string& path);
/// Joins a CAN interface ("vcan0", "can0"); the error says what is missing and how to bring it up.
[[nodiscard]] Result<std::unique_ptr<Peers>> joinInterface(const std::string& name);

/// Runs the car in real time until `stop` is set.
void serve(BenchCar& car, Peers& peers, const std::atomic<bool>& stop);

}  // namespace brusk::benchcar
