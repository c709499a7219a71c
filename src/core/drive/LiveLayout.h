// The newest value of every channel while it is driven, and questions about them, row by row.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <span>

#include "core/recording/Expression.h"

namespace brusk::drive {

/// Of a group that tells none.
inline constexpr double kUsualRate_hz = 100;

/// What is recorded, side by side: the controller's channels, then those of others at their own pace.
class LiveLayout {
  public:
    /// The first `groups` groups of a recording that is to be written; the first is the clock of all questions.
    LiveLayout(const recording::Recording& layout, size_t groups);

    const recording::Vocabulary& vocabulary() const { return vocabulary_; }
    /// s between two rows of the first group beyond which one is missing.
    double gap_s() const { return gap_s_; }
    void take(size_t group, double time_s, std::span<const float> values);
    /// What a channel of the vocabulary says at a moment; NaN once three of its periods have passed without a value.
    double at(size_t name, double time_s) const;
    /// The newest of every channel, as the vocabulary names them.
    std::span<const float> values() const { return values_; }

  private:
    recording::Vocabulary vocabulary_;
    std::vector<size_t> groupOf_, begins_;
    double gap_s_ = 0;
    std::vector<double> period_s_;  ///< of each group: what it said, or takes where it is slower
    std::vector<double> newest_s_;
    std::vector<float> values_;
};

/// Compiled. BadInput or NotFound, with the place in the text; also where it is no condition.
[[nodiscard]] Result<recording::Expression> conditionIn(const std::string& text,
                                                        const recording::Vocabulary& vocabulary);

/// A number that is asked for at every row. What looks back begins anew after a gap.
class LiveValue {
  public:
    /// BadInput or NotFound, with the place in the text.
    [[nodiscard]] static Result<LiveValue> compile(const std::string& text, const LiveLayout& layout);
    LiveValue(const recording::Expression& expression, double gap_s);
    /// In the expression's unit; NaN where nobody can tell.
    double step(double time_s, const LiveLayout& layout);

  private:
    std::vector<size_t> inputs_;
    std::vector<double> row_;
    recording::ExpressionRun run_;
};

/// A condition that is asked at every row.
class LiveCondition {
  public:
    /// As conditionIn().
    [[nodiscard]] static Result<LiveCondition> compile(const std::string& text, const LiveLayout& layout);
    /// Whether it holds; where nobody can tell, it does not.
    bool step(double time_s, const LiveLayout& layout) { return value_.step(time_s, layout) == 1; }

  private:
    explicit LiveCondition(LiveValue value) : value_(std::move(value)) {}
    LiveValue value_;
};

}  // namespace brusk::drive
