// A CAN bus over a Unix-domain socket: 16-byte datagrams as Linux's linux/can.h lays a frame out.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <memory>
#include <string>

#include "core/link/CanPort.h"

namespace brusk::link {

/// Connects to the socket that a bench car listens on; the error says when nobody does.
[[nodiscard]] Result<std::unique_ptr<CanPort>> openUnixSocket(const std::string& path);

}  // namespace brusk::link
