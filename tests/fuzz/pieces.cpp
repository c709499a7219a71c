// Archives of car folders, and what is in a parcel.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/deliver/Pieces.h"

extern "C" int LLVMFuzzerTestOneInput(const uint8_t* data, size_t size) {
    (void)brusk::deliver::unpack({data, size}, [](brusk::deliver::Piece&&) { return brusk::Done(); });
    return 0;
}
