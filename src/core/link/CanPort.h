// The one seam for the wire: send a frame, wait for a frame, tell the time.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>

#include "core/base/Result.h"
#include "core/link/CanFrame.h"

namespace brusk::link {

/// A CAN bus as the tester sees it. Used from one thread at a time.
class CanPort {
  public:
    virtual ~CanPort() = default;
    /// Hands a frame to the bus. LinkLost when the bus is gone.
    [[nodiscard]] virtual Done send(const CanFrame& frame) = 0;
    /// The next frame of anybody else, or nothing when `deadline_us` passes first.
    [[nodiscard]] virtual Result<std::optional<CanFrame>> receive(int64_t deadline_us) = 0;
    /// Microseconds on the port's own clock, which never runs backwards.
    virtual int64_t now_us() const = 0;
};

}  // namespace brusk::link
