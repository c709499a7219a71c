// Tables from anywhere: whatever is guessed of a text, reading it by the guess ends and keeps its columns as long as
// their clock; what is written of it is read again.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recording/csv/Csv.h"

using namespace brusk;
using namespace brusk::recording;

extern "C" int LLVMFuzzerTestOneInput(const uint8_t* data, size_t size) {
    const auto guess = csv::guess({data, size});
    if (!guess) return 0;
    const auto read = csv::readCsv({data, size}, guess->dialect);
    if (!read) return 0;
    for (const Group& group : read->groups)
        for (const Channel& channel : group.channels)
            if (channel.values.size() != group.time_s.size()) __builtin_trap();
    const auto text = csv::toCsv(*read);
    if (text) (void)csv::guess(asBytes(*text));
    return 0;
}
