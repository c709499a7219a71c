// Lays the groups of a recording side by side and remembers when each spoke last.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/drive/LiveLayout.h"

#include <algorithm>
#include <cmath>

namespace brusk::drive {
namespace {

constexpr double kPeriods = 3;
constexpr double kSlowest_s = 2;
constexpr double kLearns = 0.1;  // of a difference, at each row

}  // namespace

LiveLayout::LiveLayout(const recording::Recording& layout, size_t groups) {
    for (size_t g = 0; g < groups; ++g) {
        const recording::Group& group = layout.groups[g];
        begins_.push_back(vocabulary_.names.size());
        period_s_.push_back(1 / (group.rate_hz > 0 ? group.rate_hz : kUsualRate_hz));
        newest_s_.push_back(-std::numeric_limits<double>::infinity());
        for (const auto& channel : group.channels) {
            vocabulary_.names.push_back({channel.name, channel.unit, channel.role});
            groupOf_.push_back(g);
        }
    }
    gap_s_ = kPeriods * period_s_.front();
    values_.assign(vocabulary_.names.size(), std::nanf(""));
}

void LiveLayout::take(size_t group, double time_s, std::span<const float> values) {
    // One that is slower than it says lasts as long as it takes; a pause is none of that.
    const double took_s = time_s - newest_s_[group];
    if (group > 0 && took_s > period_s_[group] && took_s < kSlowest_s)
        period_s_[group] += kLearns * (took_s - period_s_[group]);
    newest_s_[group] = time_s;
    std::copy(values.begin(), values.end(), values_.begin() + static_cast<long>(begins_[group]));
}

double LiveLayout::at(size_t name, double time_s) const {
    const size_t group = groupOf_[name];
    return time_s - newest_s_[group] > kPeriods * period_s_[group] ? std::nan("") : static_cast<double>(values_[name]);
}

Result<recording::Expression> conditionIn(const std::string& text, const recording::Vocabulary& vocabulary) {
    auto expression = recording::Expression::compile(text, vocabulary);
    if (expression && !expression->isCondition())
        return fail(ErrorCode::BadInput, "\"" + text +
                                             "\" is a number; what is asked for holds or does not, as in <coolant> > "
                                             "110 \u00b0C.");
    return expression;
}

Result<LiveValue> LiveValue::compile(const std::string& text, const LiveLayout& layout) {
    const auto expression = recording::Expression::compile(text, layout.vocabulary());
    if (!expression) return tl::unexpected(expression.error());
    return LiveValue(*expression, layout.gap_s());
}

LiveValue::LiveValue(const recording::Expression& expression, double gap_s)
    : inputs_(expression.inputs()), row_(inputs_.size()), run_(expression, gap_s) {}

double LiveValue::step(double time_s, const LiveLayout& layout) {
    for (size_t i = 0; i < inputs_.size(); ++i)
        row_[i] = layout.at(inputs_[i], time_s);
    return run_.step(time_s, row_);
}

Result<LiveCondition> LiveCondition::compile(const std::string& text, const LiveLayout& layout) {
    const auto expression = conditionIn(text, layout.vocabulary());
    if (!expression) return tl::unexpected(expression.error());
    return LiveCondition(LiveValue(*expression, layout.gap_s()));
}

}  // namespace brusk::drive
