// Text to a small tree, evaluated over whole columns.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recording/Expression.h"

#include <muParser.h>

#include <deque>

#include "core/recording/Follower.h"

namespace brusk::recording {

std::vector<double> onClock(const Recording::Place& place, const Group& clock) {
    const auto values = place.channel->values.values();
    std::vector<double> out(clock.time_s.size(), std::numeric_limits<double>::quiet_NaN());
    if (place.group == &clock) {
        std::copy(values.begin(), values.end(), out.begin());
        return out;
    }
    Follower follower(place.group->time_s);
    const auto times = clock.time_s.times();
    for (size_t i = 0; i < out.size(); ++i)
        if (const size_t at = follower.at(times[i]); at != Follower::kNone) out[i] = values[at];
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
