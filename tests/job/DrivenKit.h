// A driven car and what is known of it, for tests.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdio>

#include "ctl/DrivenCar.h"

namespace brusk::bench {

inline std::shared_ptr<const job::Kit> kitOf(const benchcar::Build& build) {
    storage::RealFileSystem files;
    const bool crane = build.engine.banks > 1;
    auto kit = job::loadKit(files, crane ? BRUSK_DATA_DIR "/crane/aldine-e2-v6.profile.json"
                                         : BRUSK_DATA_DIR "/heron/aldine-e2.profile.json");
    if (!kit) std::fprintf(stderr, "%s\n", kit.error().text().c_str()), std::exit(1);
    return *kit;
}

}  // namespace brusk::bench
