// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recording/Expression.h"

#include <muParser.h>

#include <deque>

namespace brusk::recording {

std::vector<double> onClock(const Recording::Place& place, const Group& clock) {
    const auto& values = place.channel->values;
    std::vector<double> out(clock.time_s.size(), std::numeric_limits<double>::quiet_NaN());
    if (place.group == &clock) {
        std::copy(values.begin(), values.end(), out.begin());
        return out;
    }
    const auto& time = place.group->time_s;
    size_t at = 0;
    for (size_t i = 0; i < out.size() && !time.empty(); ++i) {
        while (at + 1 < time.size() && time[at + 1] <= clock.time_s[i])
            ++at;
        if (time[at] <= clock.time_s[i]) out[i] = values[at];
    }
    return out;
}

Result<std::vector<double>> evaluate(const std::string& text, const Recording& recording, const Group& clock) {
    std::deque<std::pair<std::string, std::vector<double>>> columns;
    try {
        mu::Parser parser;
        parser.SetExpr(text);
        for (const auto& [name, unused] : parser.GetUsedVar()) {
            const auto place = recording.find(name);
            if (!place) return fail(ErrorCode::NotFound, "The recording has no channel \"" + name + "\".");
            columns.emplace_back(name, onClock(place, clock));
        }
        std::vector<double> current(columns.size());
        for (size_t c = 0; c < columns.size(); ++c)
            parser.DefineVar(columns[c].first, &current[c]);
        std::vector<double> out(clock.time_s.size());
        for (size_t i = 0; i < out.size(); ++i) {
            for (size_t c = 0; c < columns.size(); ++c)
                current[c] = columns[c].second[i];
            out[i] = parser.Eval();
        }
        return out;
    } catch (const mu::Parser::exception_type& problem) {
        return fail(ErrorCode::BadInput, "The expression \"" + text + "\" can't be used: " + problem.GetMsg());
    }
}

}  // namespace brusk::recording
