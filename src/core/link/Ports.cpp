// Names of links to ports.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/link/Ports.h"

#include "core/link/SocketCan.h"
#include "core/link/UnixSocketPort.h"

namespace brusk::link {

Result<std::unique_ptr<CanPort>> portNamed(const std::string& name) {
    if (name.starts_with("unix:")) return openUnixSocket(name.substr(5));
    if (name.starts_with("socketcan:")) return openSocketCan(name.substr(10));
    return fail(ErrorCode::BadInput,
                "The link \"" + name + "\" is not known; use bench, unix:PATH or socketcan:INTERFACE.");
}

}  // namespace brusk::link
