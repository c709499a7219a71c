// The links a command can name, and the kits it can find.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <memory>
#include <string>
#include <vector>

#include "benchcar/VirtualBus.h"
#include "core/job/Garage.h"
#include "ctl/Commands.h"

namespace brusk::ctl {

/// An open link: "bench" is a fresh bench car in virtual time, "unix:PATH" a bus over a Unix-domain socket.
struct OpenLink {
    std::unique_ptr<benchcar::BenchCar> car;  ///< only for "bench"
    std::unique_ptr<link::CanPort> port;
};
[[nodiscard]] Result<OpenLink> openLink(const std::string& text, uint64_t seed);

/// The kits of the data folder (BRUSK_DATA, or what was built in).
[[nodiscard]] Result<std::vector<std::shared_ptr<const job::Kit>>> dataKits(Context& context);
storage::Path dataFolder();

}  // namespace brusk::ctl
