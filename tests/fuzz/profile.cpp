// Profiles and DBC files come from anywhere.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/link/Profile.h"
#include "core/can/Dbc.h"

extern "C" int LLVMFuzzerTestOneInput(const uint8_t* data, size_t size) {
    const auto text = brusk::asText({data, size});
    (void)brusk::link::readProfile(text);
    (void)brusk::can::readDbc(text);
    return 0;
}
