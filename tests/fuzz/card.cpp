// Cards are pasted from anywhere, and a key file may be any file.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/deliver/Keys.h"

extern "C" int LLVMFuzzerTestOneInput(const uint8_t* data, size_t size) {
    const auto text = brusk::asText({data, size});
    (void)brusk::deliver::Card::fromText(text);
    // Without a passphrase: opening one may cost a second, as it should.
    (void)brusk::deliver::Key::fromText(text, "");
    return 0;
}
