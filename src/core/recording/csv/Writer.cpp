// A recording as a table.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <charconv>
#include <cmath>

#include "core/recording/csv/Csv.h"

namespace brusk::recording::csv {

namespace {

class Writer {
  public:
    Writer(const Recording& recording, const CsvOptions& options) : recording_(recording), options_(options) {}

    std::string run() {
        std::vector<recording::Column> columns;
        for (const Group& group : recording_.groups) {
            columns.push_back(group.time_s.column());
            for (const Channel& channel : group.channels)
                columns.push_back(channel.values);
        }
        decode(columns);
        header();
        options_.oneClock ? onOneClock() : sideBySide();
        return std::move(out_);
    }

  private:
    void separate() {
        if (!atLineStart_) out_ += options_.separator;
        atLineStart_ = false;
    }
    void endLine() {
        out_ += '\n';
        atLineStart_ = true;
    }
    template <class Number>
    void number(Number value) {
        separate();
        if (!std::isfinite(value)) return;
        char text[64];
        const auto end = std::to_chars(text, text + sizeof text, value).ptr;
        if (options_.decimal != '.') std::replace(text, end, '.', options_.decimal);
        out_.append(text, end);
    }
    void text(const std::string& value) {
        separate();
        const char special[] = {options_.separator, '"', '\n', '\r', ' ', '\0'};
        if (value.find_first_of(special) == std::string::npos) {
            out_ += value;
            return;
        }
        out_ += '"';
        for (const char c : value) {
            if (c == '"') out_ += '"';
            out_ += c;
        }
        out_ += '"';
    }
    /// "boost (kPa)"; a name that ends with brackets gets empty ones, so that they are not taken for a unit.
    void name(const std::string& name, const std::string& unit) {
        const bool bracketed = !name.empty() && (name.back() == ')' || name.back() == ']' || name.back() == '}');
        text(unit.empty() && !bracketed ? name : name + " (" + unit + ")");
    }
    void header() {
        bool first = true;
        for (const Group& group : recording_.groups) {
            if (group.timed && (first || !options_.oneClock)) name("time", "s");
            first = false;
            for (const Channel& channel : group.channels)
                name(channel.name, channel.unit);
        }
        endLine();
    }
    void value(const Channel& channel, size_t row) {
        if (channel.values.isWide()) return number(channel.values.exact()[row]);
        const float v = channel.values[row];
        if (const std::string* state = channel.textOf(v))
            text(*state);
        else
            number(v);
    }
    void blank(size_t cells) {
        for (size_t i = 0; i < cells; ++i)
            separate();
    }

    void onOneClock() {
        const auto& groups = recording_.groups;
        const bool timed = !groups.empty() && groups[0].timed;
        std::vector<size_t> next(groups.size(), 0);
        for (;;) {
            double now = INFINITY;
            for (size_t g = 0; g < groups.size(); ++g)
                if (next[g] < groups[g].time_s.size()) now = std::min(now, groups[g].time_s[next[g]]);
            if (now == INFINITY) return;
            if (timed) number(now);
            for (size_t g = 0; g < groups.size(); ++g) {
                const Group& group = groups[g];
                if (next[g] >= group.time_s.size() || group.time_s[next[g]] != now) {
                    blank(group.channels.size());
                    continue;
                }
                for (const Channel& channel : group.channels)
                    value(channel, next[g]);
                ++next[g];
            }
            endLine();
        }
    }

    void sideBySide() {
        size_t rows = 0;
        for (const Group& group : recording_.groups)
            rows = std::max(rows, group.time_s.size());
        for (size_t row = 0; row < rows; ++row) {
            for (const Group& group : recording_.groups) {
                if (row >= group.time_s.size()) {
                    blank(group.channels.size() + (group.timed ? 1 : 0));
                    continue;
                }
                if (group.timed) number(group.time_s[row]);
                for (const Channel& channel : group.channels)
                    value(channel, row);
            }
            endLine();
        }
    }

    const Recording& recording_;
    CsvOptions options_;
    std::string out_;
    bool atLineStart_ = true;
};

}  // namespace

Result<std::string> toCsv(const Recording& recording, const CsvOptions& options) {
    if (options.separator == options.decimal)
        return fail(ErrorCode::BadInput, "The separator and the decimal sign can't be the same.");
    for (const Group& group : recording.groups)
        if (!group.timed && recording.groups.size() > 1)
            return fail(ErrorCode::BadInput,
                        "The group \"" + group.name +
                            "\" tells no time; a table can hold it only by itself. Give its rows a "
                            "rate, or leave its channels out.");
    return Writer(recording, options).run();
}

}  // namespace brusk::recording::csv
