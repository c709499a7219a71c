// Intel HEX and S-record readers; what was read is written and read again equal.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/image/ImageFile.h"

using namespace brusk::image;

extern "C" int LLVMFuzzerTestOneInput(const uint8_t* data, size_t size) {
    for (const Format format : {Format::IntelHex, Format::SRecord}) {
        const auto image = readImage({data, size}, format);
        if (!image || image->empty()) continue;
        const auto written = writeImage(*image, format);
        if (!written) __builtin_trap();
        const auto again = readImage(*written, format);
        if (!again || !(*again == *image)) __builtin_trap();
    }
    return 0;
}
