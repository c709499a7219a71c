// A parameter that the definition lacks, described by hand: address, type, scale, axes.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/Result.h"
#include "core/definition/Definition.h"

namespace brusk::definition {

struct NewParameter {
    std::string name;
    std::string description;
    Parameter::Kind kind = Parameter::Kind::Value;  ///< value, curve, map or text
    uint32_t address = 0;
    DataType type = DataType::UByte;
    ByteOrder byteOrder = ByteOrder::BigEndian;
    bool columnsFirst = false;
    std::string conversion;         ///< one of the definition's by name; empty: factor and offset below
    double factor = 1, offset = 0;  ///< physical = factor raw + offset
    std::string unit;
    int decimals = 0;
    struct Along {
        std::string shared;   ///< an AXIS_PTS of the definition; empty: breakpoints 0, 1, 2 ... of `points`
        uint32_t points = 1;  ///< characters of a text
    };
    Along x, y;
};

/// A small definition of that parameter and what it uses of `base` (axes, conversions), ready to be looked at on an
/// image and to be added to `base`. Errors say which field is wrong.
[[nodiscard]] Result<Definition> describe(const NewParameter& wanted, const Definition& base);

}  // namespace brusk::definition
