// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/calibration/Cdf.h"

extern "C" int LLVMFuzzerTestOneInput(const uint8_t* data, size_t size) {
    (void)brusk::calibration::readCdf(std::string(brusk::asText({data, size})));
    return 0;
}
