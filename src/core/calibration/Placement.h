// Where the fields of one parameter lie in an image, worked out from its layout and the counts stored in the image.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <vector>

#include "core/base/Result.h"
#include "core/definition/Definition.h"
#include "core/image/Image.h"

namespace brusk::calibration {

/// The breakpoints of one axis as far as they lie in the parameter's own record.
struct AxisPlace {
    uint32_t at = 0;
    definition::DataType type = definition::DataType::UByte;
    bool stored = false;           ///< they lie at `at`
    bool falling = false;          ///< the first stored is the last breakpoint
    std::vector<double> computed;  ///< raw breakpoints that an offset and a step in the record give
};

struct Placement {
    uint32_t begin = 0;  ///< first byte of the record
    uint64_t end = 0;    ///< behind its last
    uint32_t values = 0;
    definition::DataType type = definition::DataType::UByte;
    ByteOrder order = ByteOrder::BigEndian;
    size_t counts[definition::kMostAxes] = {1, 1, 1, 1, 1};   ///< cells along x, y, z ...
    size_t strides[definition::kMostAxes] = {1, 1, 1, 1, 1};  ///< elements from one cell to the next
    AxisPlace axes[definition::kMostAxes];

    size_t cellsOfSlice() const { return counts[0] * counts[1]; }
    size_t slices() const { return counts[2] * counts[3] * counts[4]; }
    /// Byte address of a cell: index row * columns + column in its slice.
    uint32_t cellAddress(size_t index, size_t slice = 0) const;
    /// Byte address of breakpoint i of an axis that is stored.
    uint32_t breakpointAddress(size_t axis, size_t i) const;
};

/// Errors name the parameter, and the address where the image does not say what it should.
[[nodiscard]] Result<Placement> place(const definition::Definition& definition, const image::Image& image,
                                      const definition::Parameter& parameter);

}  // namespace brusk::calibration
