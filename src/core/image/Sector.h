// A stretch of flash memory that is erased as one, and how far its writing is.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>

namespace brusk::image {

struct Sector {
    uint32_t start = 0;
    uint32_t length = 0;
    bool operator==(const Sector&) const = default;
};

/// What happens to a sector, in this order. Kept in the car folder as these numbers.
enum class SectorStep {
    Erase,     ///< about to be erased: from here on nobody knows what it holds
    Write,     ///< erased, about to be written
    ReadBack,  ///< written, about to be read back
    Verified   ///< read back and equal to the image
};

}  // namespace brusk::image
