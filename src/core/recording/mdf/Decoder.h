// Numbers out of records in bulk: the common kinds in loops of their own, everything else by field and conversion.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/recording/mdf/Conversion.h"
#include "core/recording/mdf/Field.h"

namespace brusk::recording::mdf {

/// Records that lie one behind the other.
struct Records {
    const uint8_t* first = nullptr;  ///< behind the record's id
    size_t stride = 0, count = 0;
    uint64_t firstRow = 0;  ///< for what is counted, not stored
};

/// The physical numbers of a field, which must be one of numbers. `counted`: there is no field, rows are counted.
/// Number: float or double.
template <class Number>
void decodeNumbers(const Field& field, const Conversion& conversion, bool counted, const Records& records, Number* out);

/// Makes NaN of those whose bit says that they are invalid. `byte`: of the record, the bit's included.
template <class Number>
void dropInvalid(uint64_t byte, uint64_t bit, const Records& records, Number* out);

}  // namespace brusk::recording::mdf
