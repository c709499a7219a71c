// Rows to columns by a known dialect, in one pass.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <cmath>

#include "core/base/Text.h"
#include "core/recording/IsoTime.h"
#include "core/recording/TextCodes.h"
#include "core/recording/csv/Csv.h"

namespace brusk::recording::csv {

std::string_view textOf(ByteSpan file, Encoding encoding, std::string& kept) {
    const auto begins = [&](std::string_view mark) { return asText(file).starts_with(mark); };
    switch (encoding) {
        case Encoding::Utf8:
            return asText(begins("\xEF\xBB\xBF") ? file.subspan(3) : file);
        case Encoding::Windows1252:
            return asText(file);
        case Encoding::Utf16Little:
            kept = fromUtf16(begins("\xFF\xFE") ? file.subspan(2) : file, ByteOrder::LittleEndian);
            return kept;
        case Encoding::Utf16Big:
            kept = fromUtf16(begins("\xFE\xFF") ? file.subspan(2) : file, ByteOrder::BigEndian);
            return kept;
    }
    return {};
}

std::string cellText(std::string_view cell, Encoding encoding) {
    if (encoding != Encoding::Windows1252) return validText(cell);
    // What Windows-1252 has where Latin-1 has controls.
    constexpr uint16_t kUpper[32] = {0x20AC, 0xFFFD, 0x201A, 0x0192, 0x201E, 0x2026, 0x2020, 0x2021,
                                     0x02C6, 0x2030, 0x0160, 0x2039, 0x0152, 0xFFFD, 0x017D, 0xFFFD,
                                     0xFFFD, 0x2018, 0x2019, 0x201C, 0x201D, 0x2022, 0x2013, 0x2014,
                                     0x02DC, 0x2122, 0x0161, 0x203A, 0x0153, 0xFFFD, 0x017E, 0x0178};
    std::string out;
    for (const char c : cell) {
        const auto byte = static_cast<uint8_t>(c);
        appendUtf8(out, byte >= 0x80 && byte < 0xA0 ? kUpper[byte - 0x80] : byte);
    }
    return validText(out);
}

namespace {

constexpr float kNone = std::numeric_limits<float>::quiet_NaN();

/// Sentences about lines: the first of each kind in full, then their number.
class Complaints {
  public:
    void add(const std::string& kind, size_t line, const std::string& what) {
        constexpr size_t kInFull = 5;
        if (++counts_[kind] <= kInFull) sentences_.push_back("Line " + std::to_string(line) + ": " + what + ".");
    }
    std::vector<std::string> all() && {
        for (const auto& [kind, count] : counts_)
            if (count > 5) sentences_.push_back("In all " + std::to_string(count) + " " + kind + ".");
        return std::move(sentences_);
    }

  private:
    std::map<std::string, size_t> counts_;
    std::vector<std::string> sentences_;
};

/// The text from a line on; lines count from 1.
std::string_view fromLine(std::string_view text, size_t line) {
    for (size_t at = 1; at < line; ++at) {
        const size_t end = text.find_first_of("\r\n");
        if (end == std::string_view::npos) return {};
        const bool both = text[end] == '\r' && end + 1 < text.size() && text[end + 1] == '\n';
        text.remove_prefix(end + (both ? 2 : 1));
    }
    return text;
}

/// One clock of the table, and what is on it.
struct Clock {
    std::optional<size_t> column;
    Group group;
    std::vector<size_t> columns;  ///< of the table; one channel each
    double before = -INFINITY;    ///< the last time
    double ahead = 0;             ///< what later parts and days add
    bool thisRow = false;
    /// How it stood before the last row, whose time went back.
    struct Drop {
        double before, ahead;
        size_t line;
    };
    std::optional<Drop> drop = {};
};

class Reader {
  public:
    Reader(ByteSpan file, const Dialect& dialect) : dialect_(dialect), size_(file.size()) {
        text_ = fromLine(textOf(file, dialect.encoding, kept_), dialect.firstLine);
    }

    Result<Recording> run(size_t most) {
        prepare();
        Rows rows(text_, dialect_.separator, dialect_.firstLine);
        std::vector<std::string_view> cells;
        for (size_t row = 0; row < most && rows.next(cells); ++row)
            if (auto done = take(cells, rows); !done) return tl::unexpected(done.error());
        return finish();
    }

  private:
    void prepare() {
        codes_.resize(dialect_.columns.size());
        place_.resize(dialect_.columns.size());
        clocks_.emplace_back();
        bool first = true;
        for (size_t c = 0; c < dialect_.columns.size(); ++c) {
            const Column& column = dialect_.columns[c];
            if (column.kind == Column::Kind::Time) {
                if (!first) clocks_.emplace_back();
                first = false;
                clocks_.back().column = c;
            } else if (column.kind != Column::Kind::Nothing) {
                place_[c] = {clocks_.size() - 1, clocks_.back().columns.size()};
                clocks_.back().columns.push_back(c);
                clocks_.back().group.channels.push_back({column.name, column.unit, {}, {}, {}});
            }
        }
        const auto lines = static_cast<size_t>(std::count(text_.begin(), text_.end(), '\n')) + 1;
        // A row has a separator for each column: room for all is never more than a few times the file.
        const size_t room = std::min(lines, size_ / std::max<size_t>(1, dialect_.columns.size()) + 1);
        for (Clock& clock : clocks_) {
            clock.group.timed = clock.column.has_value();
            clock.group.time_s.reserve(room);
            for (Channel& channel : clock.group.channels)
                channel.values.reserve(room);
        }
    }

    Done take(const std::vector<std::string_view>& cells, const Rows& rows) {
        const size_t line = rows.line(), count = dialect_.columns.size();
        if (rows.unclosed()) complaints_.add("quotes that nothing closes", line, "a quote is opened and never closed");
        if (cells.size() < count && cells.size() * 2 < count)
            complaints_.add("rows that are too short", line,
                            std::to_string(cells.size()) + " fields where " + std::to_string(count) + " were expected");
        for (size_t c = count; c < cells.size(); ++c)
            if (!cells[c].empty()) {
                complaints_.add("rows that are too long", line,
                                std::to_string(cells.size()) + " fields where " + std::to_string(count) +
                                    " were expected; the last ones are left out");
                break;
            }
        cells_ += count;
        constexpr size_t kFree = size_t{16} << 20;
        if (cells_ > kFree + 4 * size_)
            return failIn({.line = static_cast<int>(line)}, ErrorCode::BadInput,
                          "Line " + std::to_string(line) + ": the header claims " + std::to_string(count) +
                              " columns, most rows have far fewer.");
        for (Clock& clock : clocks_)
            clock.thisRow = timeOf(clock, cells, line);
        for (size_t c = 0; c < count; ++c) {
            if (dialect_.columns[c].kind == Column::Kind::Time || dialect_.columns[c].kind == Column::Kind::Nothing)
                continue;
            Clock& clock = clocks_[place_[c].first];
            if (!clock.thisRow) continue;
            clock.group.channels[place_[c].second].values.push_back(c < cells.size() ? valueOf(c, cells[c], line)
                                                                                     : kNone);
        }
        return {};
    }

    /// Adds the row's time to a clock; false when the row is not on it.
    bool timeOf(Clock& clock, const std::vector<std::string_view>& cells, size_t line) {
        if (!clock.column) {
            clock.group.time_s.push_back(static_cast<double>(clock.group.time_s.size()));
            return true;
        }
        const std::string_view cell = *clock.column < cells.size() ? cells[*clock.column] : std::string_view();
        auto time_s = secondsOf(clock, cell);
        if (!time_s) {
            // With clocks side by side the shorter ones end before the others.
            if (!cell.empty() || clocks_.size() == 1)
                complaints_.add("rows without a time", line,
                                cell.empty() ? "the time is missing; the row is left out"
                                             : "\"" + cellText(cell.substr(0, 40), dialect_.encoding) +
                                                   "\" is no time; the row is left out");
            return false;
        }
        if (clock.drop && *time_s + clock.drop->ahead >= clock.drop->before) {
            // Back for one row alone: that was no new part, but a row that is wrong.
            complaints_.add("rows whose time goes back", clock.drop->line,
                            "time goes back for this row; it is left out");
            clock.group.time_s.pop_back();
            for (Channel& channel : clock.group.channels)
                channel.values.pop_back();
            clock.before = clock.drop->before, clock.ahead = clock.drop->ahead;
        } else if (clock.drop) {
            complaints_.add("parts of the recording", clock.drop->line,
                            "time goes back; a new part begins, laid 1 s behind");
        }
        clock.drop.reset();
        *time_s += clock.ahead;
        if (*time_s < clock.before) {
            const double back = clock.before - *time_s;
            if (dialect_.timeBack == TimeBack::LeaveOut) {
                complaints_.add("rows whose time goes back", line,
                                "time goes back by " + formatNumber(back, 3) + " s; the row is left out");
                return false;
            }
            clock.drop = Clock::Drop{clock.before, clock.ahead, line};
            clock.ahead += back + 1;
            *time_s = clock.before + 1;
        }
        clock.before = *time_s;
        clock.group.time_s.push_back(*time_s);
        return true;
    }

    std::optional<double> secondsOf(Clock& clock, std::string_view cell) {
        const TimeForm form = dialect_.columns[*clock.column].form;
        if (form != TimeForm::Clock) {
            const auto number = numberOf(cell, dialect_.decimal);
            if (!number) return std::nullopt;
            constexpr double kSeconds[] = {1, 1e-3, 1e-6, 60, 3600};
            return *number * kSeconds[static_cast<int>(form)];
        }
        const auto time = clockOf(cell, dialect_.dateOrder);
        if (!time) return std::nullopt;
        constexpr double kDay_s = 86400;
        const int64_t day = time->day.value_or(0);
        if (!origin_) {
            origin_ = time->seconds;
            originDay_ = day;
            dated_ = time->day.has_value();
        }
        // What was subtracted from a time of day is no more exact than that was.
        constexpr double kExact = 1e9;
        const double out =
            std::round((time->seconds - *origin_) * kExact) / kExact + static_cast<double>(day - originDay_) * kDay_s;
        // A clock without a date begins again at midnight.
        if (!time->day && out + clock.ahead < clock.before - kDay_s / 2) clock.ahead += kDay_s;
        return out;
    }

    float valueOf(size_t c, std::string_view cell, size_t line) {
        if (cell.empty()) return kNone;
        if (dialect_.columns[c].kind == Column::Kind::States) {
            if (isMissingWord(cell)) return kNone;
            return codes_[c].codeOf(cellText(cell, dialect_.encoding));
        }
        if (const auto number = numberOf(cell, dialect_.decimal)) return static_cast<float>(*number);
        if (isMissingWord(cell)) return kNone;
        const std::string text = cellText(cell.substr(0, 40), dialect_.encoding);
        if (std::find(dialect_.missing.begin(), dialect_.missing.end(), text) == dialect_.missing.end())
            complaints_.add("cells that are no numbers", line,
                            "\"" + text + "\" in column \"" + dialect_.columns[c].name + "\" is no number");
        return kNone;
    }

    /// "off" and "on" and the like as 0 and 1, whichever came first.
    static std::optional<std::vector<State>> switchStates(const std::vector<State>& states) {
        constexpr std::pair<std::string_view, std::string_view> kPairs[] = {
            {"off", "on"}, {"false", "true"}, {"no", "yes"}, {"inactive", "active"}, {"closed", "open"}};
        if (states.empty() || states.size() > 2) return std::nullopt;
        for (const auto& [low, high] : kPairs) {
            std::vector<State> out;
            for (const State& state : states) {
                const std::string text = toLower(state.text);
                if (text == low) out.push_back({0, state.text});
                if (text == high) out.push_back({1, state.text});
            }
            if (out.size() == states.size() && (out.size() == 1 || out[0].value != out[1].value)) return out;
        }
        return std::nullopt;
    }

    void giveStates(size_t c, Channel& channel) {
        channel.states = codes_[c].states();
        if (codes_[c].full())
            complaints_.add("columns of texts", dialect_.firstLine,
                            "column \"" + channel.name + "\" has more than " + std::to_string(TextCodes::kMost) +
                                " different texts; the later ones are left out");
        const auto switched = switchStates(channel.states);
        if (!switched) return;
        for (float& value : channel.values)
            if (!std::isnan(value)) value = (*switched)[static_cast<size_t>(value)].value;
        channel.states = *switched;
        std::sort(channel.states.begin(), channel.states.end(),
                  [](const State& a, const State& b) { return a.value < b.value; });
    }

    Result<Recording> finish() {
        Recording out;
        for (Clock& clock : clocks_) {
            if (clock.group.time_s.empty()) continue;
            for (size_t i = 0; i < clock.columns.size(); ++i)
                if (dialect_.columns[clock.columns[i]].kind == Column::Kind::States)
                    giveStates(clock.columns[i], clock.group.channels[i]);
            partByRate(std::move(clock.group), out.groups);
        }
        out.damage = std::move(complaints_).all();
        if (out.groups.empty()) {
            if (!out.damage.empty()) return fail(ErrorCode::BadInput, "No row can be read. " + out.damage.front());
            return fail(ErrorCode::BadInput, "The table has no row of data.");
        }
        if (origin_ && dated_) out.startedAt = isoTime(originDay_ * 86400 + static_cast<int64_t>(*origin_));
        return out;
    }

    /// How many rows a channel's samples lie apart, when it comes regularly and never with two rows that follow each
    /// other; 1 otherwise: what is missing then is missing.
    static size_t apart(const Channel& channel) {
        std::vector<size_t> steps;
        size_t last = SIZE_MAX;
        for (size_t i = 0; i < channel.values.size(); ++i) {
            if (std::isnan(channel.values[i])) continue;
            if (last != SIZE_MAX) steps.push_back(i - last);
            last = i;
        }
        constexpr size_t kLeastSamples = 3;
        if (steps.size() < kLeastSamples) return 1;
        const auto next = static_cast<size_t>(std::count(steps.begin(), steps.end(), size_t{1}));
        std::nth_element(steps.begin(), steps.begin() + static_cast<long>(steps.size() / 2), steps.end());
        const size_t usual = steps[steps.size() / 2];
        const size_t longest = *std::max_element(steps.begin(), steps.end());
        return usual >= 2 && longest <= 3 * usual && next * 20 < steps.size() ? usual : 1;
    }

    static bool sameRows(const Channel& a, const Channel& b) {
        for (size_t i = 0; i < a.values.size(); ++i)
            if (std::isnan(a.values[i]) != std::isnan(b.values[i])) return false;
        return true;
    }

    static void partByRate(Group all, std::vector<Group>& out) {
        const size_t first = out.size();
        out.emplace_back();
        std::vector<std::vector<Channel>> slower;
        std::vector<Channel> stay;
        for (Channel& channel : all.channels) {
            if (!all.timed || apart(channel) < 2) {
                stay.push_back(std::move(channel));
                continue;
            }
            const auto same = std::find_if(slower.begin(), slower.end(),
                                           [&](const auto& group) { return sameRows(group[0], channel); });
            if (same == slower.end())
                slower.emplace_back().push_back(std::move(channel));
            else
                same->push_back(std::move(channel));
        }
        for (auto& channels : slower) {
            Group group;
            const std::vector<float> rows = channels[0].values;
            for (size_t i = 0; i < rows.size(); ++i)
                if (!std::isnan(rows[i])) group.time_s.push_back(all.time_s[i]);
            for (Channel& channel : channels) {
                std::erase_if(channel.values, [](float v) { return std::isnan(v); });
                group.channels.push_back(std::move(channel));
            }
            group.rate_hz = nominalRate(group.time_s);
            out.push_back(std::move(group));
        }
        all.channels = std::move(stay);
        if (all.channels.empty() && !slower.empty()) {
            out.erase(out.begin() + static_cast<long>(first));
            return;
        }
        all.rate_hz = all.timed ? nominalRate(all.time_s) : 0;
        out[first] = std::move(all);
    }

    const Dialect& dialect_;
    size_t size_;
    std::string kept_;
    std::string_view text_;
    std::vector<Clock> clocks_;
    std::vector<std::pair<size_t, size_t>> place_;  ///< of a column: its clock, its channel there
    std::vector<TextCodes> codes_;
    Complaints complaints_;
    std::optional<double> origin_;
    int64_t originDay_ = 0;
    bool dated_ = false;
    size_t cells_ = 0;
};

}  // namespace

Result<Recording> readCsv(ByteSpan file, const Dialect& dialect, size_t rows) {
    return Reader(file, dialect).run(rows);
}

}  // namespace brusk::recording::csv
