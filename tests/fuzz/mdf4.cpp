// The recording reader never trusts a length, an offset or a count.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recording/Mdf4.h"

extern "C" int LLVMFuzzerTestOneInput(const uint8_t* data, size_t size) {
    const auto recording = brusk::recording::readMdf4({data, size});
    if (!recording) return 0;
    for (const auto& group : recording->groups)
        for (const auto& channel : group.channels)
            if (channel.values.size() != group.time_s.size()) __builtin_trap();
    return 0;
}
