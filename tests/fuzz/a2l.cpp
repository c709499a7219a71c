// Whatever the bytes, reading a definition ends with a result or a sentence.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/definition/A2lReader.h"

extern "C" int LLVMFuzzerTestOneInput(const uint8_t* data, size_t size) {
    const auto contents = brusk::definition::readA2l(brusk::asText({data, size}));
    if (!contents && contents.error().message.empty()) __builtin_trap();
    return 0;
}
