// What a number in an expression is measured in, and what joining two of them gives.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <array>
#include <optional>
#include <string>
#include <string_view>

namespace brusk::recording::expression {

/// Mass, length, time, temperature, voltage, angle; powers.
using Dimension = std::array<int, 6>;

struct Measured {
    enum class Kind {
        Any,      ///< a number that somebody typed: in whatever unit what it meets is
        Known,    ///< `dimension`; SI = scale * value (+ offset)
        Unknown,  ///< a unit that nobody knows: not checked
        Truth     ///< yes or no
    };
    Kind kind = Kind::Any;
    Dimension dimension{};
    double scale = 1;
    double offset = 0;      ///< of a temperature on its own scale, to K
    bool absolute = false;  ///< a temperature, not a difference of two
    std::string text;       ///< the unit as it is written; empty for a bare number

    bool known() const { return kind == Kind::Known; }
    bool isTemperature() const { return known() && dimension == Dimension{0, 0, 0, 1, 0, 0}; }
    bool plain() const { return kind == Kind::Any || (known() && dimension == Dimension{} && scale == 1); }
    /// "engine speed (rpm)", "kPa/s", "a number".
    std::string spoken() const;
};

/// Of a unit as a recording writes it, also of rates ("kPa/s"); Unknown for one that nobody knows, Any for none.
Measured measuredIn(std::string_view unit, double stoichiometric);
/// The longest unit that a text begins with, and how many characters it has.
std::optional<std::pair<Measured, size_t>> unitAt(std::string_view text, double stoichiometric);

/// How numbers of one become numbers of the other: other = scale * one + offset.
struct Turned {
    double scale = 1, offset = 0;
};
/// Nothing where they measure different things. `asDifference`: temperatures without their zero.
std::optional<Turned> turned(const Measured& from, const Measured& into, bool asDifference = false);

/// Of a product or a quotient; numbers are multiplied as they are.
Measured product(const Measured& a, const Measured& b, bool divided);
/// Nothing where it has no unit: the root of a volume.
std::optional<Measured> power(const Measured& base, int numerator, int denominator);

}  // namespace brusk::recording::expression
