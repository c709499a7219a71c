// What an expression is once it is compiled: steps over a small stack of columns' pieces.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstddef>
#include <cstdint>
#include <vector>

namespace brusk::recording::expression {

enum class Op : uint8_t {
    // Push.
    Input,     ///< the index-th column
    Constant,  ///< a
    // One operand.
    Turn,  ///< a * x + b
    Not,
    Abs,
    Sqrt,
    Exp,
    Log,
    // Two operands; with `constant` the right one is a, with `constantLeft` the left one.
    Add,
    Subtract,
    Multiply,
    Divide,
    Power,
    Less,
    LessEqual,
    Greater,
    GreaterEqual,
    Equal,
    NotEqual,
    And,
    Or,
    Min,
    Max,
    // Three operands.
    Choose,
    Clamp,
    // Of a value over time; a: the length in s. Each has a memory of its own.
    Rate,
    Delay,
    Mean,
    Least,
    Most,
    Held,
    Edge
};

struct Step {
    Op op = Op::Constant;
    double a = 0, b = 0;
    bool constant = false, constantLeft = false;
    bool input = false;  ///< the right one is a column, the index-th
    size_t index = 0;    ///< of an input; of a memory
};

struct Program {
    std::vector<Step> steps;
    size_t inputs = 0;
    size_t depth = 0;     ///< of the stack, at most
    size_t memories = 0;  ///< of what looks back
};

constexpr bool looksBack(Op op) {
    return op >= Op::Rate;
}

}  // namespace brusk::recording::expression
