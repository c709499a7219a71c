// A DBC file and a CAN log in one input, parted by a line "----".
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recording/canlog/CanLog.h"
#include "core/base/Bytes.h"

using namespace brusk;

extern "C" int LLVMFuzzerTestOneInput(const uint8_t* data, size_t size) {
    const std::string_view all = asText({data, size});
    const size_t mark = all.find("\n----\n");
    const auto dbc = can::readDbc(all.substr(0, mark));
    if (!dbc || mark == std::string_view::npos) return 0;
    const auto read = recording::readCanLog(all.substr(mark + 6), dbc->messages);
    if (!read) return 0;
    for (const auto& group : read->groups)
        for (const auto& channel : group.channels)
            if (channel.values.size() != group.time_s.size()) __builtin_trap();
    return 0;
}
