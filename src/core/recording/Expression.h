// Questions about a recording in a line of typing: filters, measures, guards and triggers all ask so.
//
//   {any channel}  <engine speed>  14.2 psi  + - * / ^  < <= > >= == !=  and or not  c ? a : b
//   abs sqrt exp log (natural) min max clamp(x, low, high)
//   rate(x)  delay(x, 0.2 s)  mean(x, 0.5 s)  least(x, 1 s)  most(x, 1 s)  held(c, 0.3 s)  edge(c)
//
// 1. A channel in braces is in its recorded unit, a role between angle brackets in the role's. Where two units of one
//    quantity meet, the right one is turned into the left one; units of different quantities are a mistake, and said.
//    A bare number is in the unit of what it meets.
// 2. What is missing is NaN, and so is what follows from it; of "and" and "or" only where it matters. A channel at
//    another rate counts until three of its periods have passed without a sample.
// 3. Over a gap of the clock nothing is looked back: it is as if the recording began again.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <memory>
#include <string>
#include <string_view>
#include <vector>

#include "core/base/Result.h"
#include "core/recording/Recording.h"
#include "core/units/Units.h"

namespace brusk::recording {

namespace expression {
struct Program;
}

/// What an expression may speak of.
struct Vocabulary {
    struct Name {
        std::string name;
        std::string unit;
        std::string role;  ///< its id; empty: none
    };
    std::vector<Name> names;
    double stoichiometric = units::kPetrolRatio;  ///< for AFR
};
/// The channels of a recording, group by group.
Vocabulary vocabularyOf(const Recording& recording);

/// Compiled. Cheap to copy; may be used by several threads.
class Expression {
  public:
    /// BadInput or NotFound with a sentence that names the column in the text (from 1) and what would be right.
    [[nodiscard]] static Result<Expression> compile(std::string_view text, const Vocabulary& vocabulary);

    /// Which of the vocabulary's names it asks for, in the order in which values are handed to a run.
    const std::vector<size_t>& inputs() const { return inputs_; }
    /// Of its result; empty for a bare number and for a condition.
    const std::string& unit() const { return unit_; }
    bool isCondition() const { return condition_; }
    const expression::Program& program() const { return *program_; }

  private:
    friend class ExpressionCompiler;
    std::shared_ptr<const expression::Program> program_;
    std::vector<size_t> inputs_;
    std::string unit_;
    bool condition_ = false;
};

/// One walk through time: what looks back remembers what it was fed.
class ExpressionRun {
  public:
    /// `gap_s`: a longer pause between two rows is a gap.
    explicit ExpressionRun(Expression expression, double gap_s = std::numeric_limits<double>::infinity());
    ~ExpressionRun();
    ExpressionRun(ExpressionRun&&) noexcept;
    ExpressionRun& operator=(ExpressionRun&&) noexcept;

    /// Rows that follow those before; times never fall. `inputs`: a column as long as `time_s` for each of the
    /// expression's inputs. Conditions give 1, 0, or NaN where nobody can tell.
    void feed(std::span<const double> time_s, std::span<const double* const> inputs, std::span<double> out);
    /// One row.
    double step(double time_s, std::span<const double> inputs);

  private:
    friend Column evaluate(const Expression& expression, const Recording& recording, const Group& clock);
    struct State;
    std::unique_ptr<State> state_;
};

/// The expression on a group's clock: a column as long as it.
[[nodiscard]] Column evaluate(const Expression& expression, const Recording& recording, const Group& clock);
/// Compiled for this recording, and evaluated.
[[nodiscard]] Result<Column> evaluate(std::string_view text, const Recording& recording, const Group& clock,
                                      double stoichiometric = units::kPetrolRatio);

}  // namespace brusk::recording
