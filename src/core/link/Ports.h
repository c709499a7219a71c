// The ports a link's name stands for.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/link/CanPort.h"

namespace brusk::link {

/// Opens "unix:PATH" (a bus over a Unix-domain socket) or "socketcan:IFACE" (an interface of the kernel).
[[nodiscard]] Result<std::unique_ptr<CanPort>> portNamed(const std::string& name);

}  // namespace brusk::link
