// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/definition/A2lReader.h"

extern "C" int LLVMFuzzerTestOneInput(const uint8_t* data, size_t size) {
    (void)brusk::definition::readA2l(std::string(brusk::asText({data, size})));
    return 0;
}
