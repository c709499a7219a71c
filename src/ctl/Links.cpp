// SPDX-License-Identifier: GPL-3.0-or-later
#include "ctl/Links.h"

#include <cstdlib>

#include "core/link/UnixSocketPort.h"

namespace brusk::ctl {

Result<OpenLink> openLink(const std::string& text, uint64_t seed) {
    OpenLink out;
    if (text == "bench") {
        out.car = std::make_unique<benchcar::BenchCar>(benchcar::kHeronFitted, seed);
        out.port = std::make_unique<benchcar::VirtualBus>(*out.car);
        return out;
    }
    if (text.starts_with("unix:")) {
        auto port = link::openUnixSocket(text.substr(5));
        if (!port) return tl::unexpected(port.error());
        out.port = std::move(*port);
        return out;
    }
    return fail(ErrorCode::BadInput, "The link \"" + text + "\" is not known; use bench or unix:PATH.");
}

storage::Path dataFolder() {
    const char* set = std::getenv("BRUSK_DATA");
    return set && *set ? set : BRUSK_DATA_DIR;
}

Result<std::vector<std::shared_ptr<const job::Kit>>> dataKits(Context& context) {
    std::vector<Error> problems;
    auto kits = job::loadKits(context.files, dataFolder(), problems);
    if (kits.empty() && !problems.empty()) return tl::unexpected(problems[0]);
    if (kits.empty())
        return fail(ErrorCode::NotFound, "There is no controller profile in " + dataFolder().string() + ".");
    return kits;
}

}  // namespace brusk::ctl
