// What a table's rows mean: which clock they are on, which are left out, which channels come at a slower rate.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <cmath>

#include "core/base/Parallel.h"
#include "core/base/Text.h"
#include "core/recording/IsoTime.h"
#include "core/recording/TextCodes.h"
#include "core/recording/csv/Parse.h"

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
struct TableClock {
    std::optional<size_t> column;
    std::vector<size_t> columns;  ///< of the table; one channel each
};

/// Goes along the times of a clock, row by row, and says which count.
class TimeWalk {
  public:
    /// The first time of all clocks is their origin.
    struct Origin {
        std::optional<double> seconds;
        int64_t day = 0;
        bool dated = false;
    };
    TimeWalk(const Dialect& dialect, const Parsed& parsed, size_t column, Origin& origin, Complaints& complaints)
        : dialect_(dialect),
          parsed_(parsed),
          cells_(parsed.columns[column]),
          isClock_(dialect.columns[column].form == TimeForm::Clock),
          origin_(origin),
          complaints_(complaints) {}

    /// Takes the next row; nothing to add where it is not on the clock.
    void take(size_t row) {
        if (std::isnan(cells_.wide[row])) return;
        double time_s = isClock_ ? sinceOrigin(row) : cells_.wide[row];
        const size_t line = parsed_.lines[row];
        if (drop_ && time_s + drop_->ahead >= drop_->before) {
            // Back for one row alone: that was no new part, but a row that is wrong.
            complaints_.add("rows whose time goes back", drop_->line, Complaints::About::Time,
                            "time goes back for this row; it is left out");
            times.pop_back();
            rows_.pop_back();
            before_ = drop_->before, ahead_ = drop_->ahead;
        } else if (drop_) {
            complaints_.add("parts of the recording", drop_->line, Complaints::About::Time,
                            "time goes back; a new part begins, laid 1 s behind");
        }
        drop_.reset();
        time_s += ahead_;
        if (time_s < before_) {
            const double back = before_ - time_s;
            if (dialect_.timeBack == TimeBack::LeaveOut) {
                complaints_.add("rows whose time goes back", line, Complaints::About::Time,
                                "time goes back by " + formatNumber(back, 3) + " s; the row is left out");
                return;
            }
            drop_ = Drop{before_, ahead_, line};
            ahead_ += back + 1;
            time_s = before_ + 1;
        }
        before_ = time_s;
        times.push_back(time_s);
        rows_.push_back(static_cast<uint32_t>(row));
    }

    Numbers<double> times;
    /// Of the table's rows, those that count.
    const Numbers<uint32_t>& rows() const { return rows_; }

  private:
    double sinceOrigin(size_t row) {
        constexpr double kDay_s = 86400, kExact = 1e9;
        const bool dated = cells_.days[row] != Cells::kNoDay;
        const int64_t day = dated ? cells_.days[row] : 0;
        if (!origin_.seconds) origin_ = {cells_.wide[row], day, dated};
        // What was subtracted from a time of day is no more exact than that was.
        const double out = std::round((cells_.wide[row] - *origin_.seconds) * kExact) / kExact +
                           static_cast<double>(day - origin_.day) * kDay_s;
        // A clock without a date begins again at midnight.
        if (!dated && out + ahead_ < before_ - kDay_s / 2) ahead_ += kDay_s;
        return out;
    }

    /// How it stood before the last row, whose time went back.
    struct Drop {
        double before, ahead;
        size_t line;
    };
    const Dialect& dialect_;
    const Parsed& parsed_;
    const Cells& cells_;
    bool isClock_;
    Origin& origin_;
    Complaints& complaints_;
    double before_ = -INFINITY;  ///< the last time
    double ahead_ = 0;           ///< what later parts and days add
    std::optional<Drop> drop_;
    Numbers<uint32_t> rows_;
};

/// A channel while it is made: in its own width.
struct Made {
    Channel channel;
    Cells cells;

    size_t size() const { return cells.size(); }
    bool missing(size_t row) const {
        return cells.wide.empty() ? std::isnan(cells.narrow[row]) : std::isnan(cells.wide[row]);
    }
    /// Only these rows, which rise.
    void keep(const Numbers<uint32_t>& rows) {
        const auto pick = [&](auto& numbers) {
            for (size_t i = 0; i < rows.size(); ++i)
                numbers[i] = numbers[rows[i]];
            numbers.resize(rows.size());
        };
        if (cells.wide.empty())
            pick(cells.narrow);
        else
            pick(cells.wide);
    }
    Channel done() && {
        channel.values =
            cells.wide.empty() ? recording::Column(std::move(cells.narrow)) : recording::Column(std::move(cells.wide));
        return std::move(channel);
    }
};

class Reader {
  public:
    Reader(ByteSpan file, const Dialect& dialect) : dialect_(dialect) {
        text_ = fromLine(textOf(file, dialect.encoding, kept_), dialect.firstLine);
    }

    Result<Recording> run(size_t most) {
        prepare();
        auto parsed = parse(text_, dialect_, clockOf_, most);
        if (!parsed) return tl::unexpected(parsed.error());
        parsed_ = std::move(*parsed);
        Recording out;
        for (const TableClock& clock : clocks_)
            group(clock, out);
        out.damage = parsed_.complaints.all();
        if (out.groups.empty()) {
            if (!out.damage.empty()) return fail(ErrorCode::BadInput, "No row can be read. " + out.damage.front());
            return fail(ErrorCode::BadInput, "The table has no row of data.");
        }
        if (origin_.seconds && origin_.dated)
            out.startedAt = isoTime(origin_.day * 86400 + static_cast<int64_t>(*origin_.seconds));
        return out;
    }

  private:
    void prepare() {
        clocks_.emplace_back();
        bool first = true;
        for (size_t c = 0; c < dialect_.columns.size(); ++c) {
            const Column& column = dialect_.columns[c];
            if (column.kind == Column::Kind::Time) {
                if (!first) clocks_.emplace_back();
                first = false;
                clocks_.back().column = c;
            } else if (column.kind != Column::Kind::Nothing) {
                clocks_.back().columns.push_back(c);
            }
        }
        clockOf_.assign(dialect_.columns.size(), std::string_view::npos);
        for (const TableClock& clock : clocks_)
            for (const size_t c : clock.columns)
                clockOf_[c] = clock.column.value_or(std::string_view::npos);
    }

    void group(const TableClock& clock, Recording& out) {
        Group group;
        group.timed = clock.column.has_value();
        Numbers<double> times;
        const Numbers<uint32_t>* rows = nullptr;
        std::optional<TimeWalk> walk;
        if (clock.column) {
            walk.emplace(dialect_, parsed_, *clock.column, origin_, parsed_.complaints);
            for (size_t row = 0; row < parsed_.rows; ++row)
                walk->take(row);
            times = std::move(walk->times);
            rows = times.size() == parsed_.rows ? nullptr : &walk->rows();
        } else {
            times.resize(parsed_.rows);
            for (size_t row = 0; row < times.size(); ++row)
                times[row] = static_cast<double>(row);
        }
        if (times.empty()) return;
        std::vector<Made> made;
        for (const size_t c : clock.columns) {
            const Column& column = dialect_.columns[c];
            made.push_back({{column.name, column.unit, {}, {}, {}}, std::move(parsed_.columns[c])});
            if (column.kind == Column::Kind::States) giveStates(made.back());
        }
        if (rows) inParallel(made.size(), [&](size_t i) { made[i].keep(*rows); });
        partByRate(std::move(group), std::move(times), std::move(made), out.groups);
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

    void giveStates(Made& made) {
        std::vector<State> states;
        for (const std::string& text : made.cells.texts)
            states.push_back({static_cast<float>(states.size()), text});
        if (made.cells.fullOfTexts)
            parsed_.complaints.add("columns of texts", dialect_.firstLine, Complaints::About::Row,
                                   "column \"" + made.channel.name + "\" has more than " +
                                       std::to_string(TextCodes::kMost) +
                                       " different texts; the later ones are left out");
        if (const auto switched = switchStates(states)) {
            for (float& value : made.cells.narrow)
                if (!std::isnan(value)) value = (*switched)[static_cast<size_t>(value)].value;
            states = *switched;
            std::sort(states.begin(), states.end(), [](const State& a, const State& b) { return a.value < b.value; });
        }
        made.channel.states = std::move(states);
    }

    /// How many rows a channel's samples lie apart, when it comes regularly and never with two rows that follow each
    /// other; 1 otherwise: what is missing then is missing.
    static size_t apart(const Made& made) {
        constexpr size_t kLeastSamples = 3, kSeldom = 20;
        if (made.cells.missing == 0) return 1;
        size_t present = 0, next = 0;
        bool before = false;
        for (size_t i = 0; i < made.size(); ++i) {
            const bool here = !made.missing(i);
            present += here;
            next += here && before;
            before = here;
        }
        if (present < kLeastSamples + 1 || next * kSeldom >= present - 1) return 1;
        std::vector<size_t> steps;
        size_t last = SIZE_MAX;
        for (size_t i = 0; i < made.size(); ++i) {
            if (made.missing(i)) continue;
            if (last != SIZE_MAX) steps.push_back(i - last);
            last = i;
        }
        std::nth_element(steps.begin(), steps.begin() + static_cast<long>(steps.size() / 2), steps.end());
        const size_t usual = steps[steps.size() / 2];
        const size_t longest = *std::max_element(steps.begin(), steps.end());
        return usual >= 2 && longest <= 3 * usual ? usual : 1;
    }

    static bool sameRows(const Made& a, const Made& b) {
        for (size_t i = 0; i < a.size(); ++i)
            if (a.missing(i) != b.missing(i)) return false;
        return true;
    }

    static void partByRate(Group all, Numbers<double> times, std::vector<Made> made, std::vector<Group>& out) {
        std::vector<std::vector<Made>> slower;
        std::vector<Made> stay;
        for (Made& channel : made) {
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
        const bool nothingStays = stay.empty() && !slower.empty();
        const auto finish = [&](Group group, Numbers<double> clock, std::vector<Made>& channels) {
            group.rate_hz = group.timed ? nominalRate(clock) : 0;
            group.time_s = Clock(std::move(clock));
            for (Made& channel : channels)
                group.channels.push_back(std::move(channel).done());
            out.push_back(std::move(group));
        };
        std::vector<Numbers<double>> clocks;
        for (auto& channels : slower) {
            Numbers<uint32_t> rows;
            Numbers<double> clock;
            for (size_t i = 0; i < times.size(); ++i)
                if (!channels[0].missing(i)) rows.push_back(static_cast<uint32_t>(i)), clock.push_back(times[i]);
            for (Made& channel : channels)
                channel.keep(rows);
            clocks.push_back(std::move(clock));
        }
        if (!nothingStays) finish(std::move(all), std::move(times), stay);
        for (size_t i = 0; i < slower.size(); ++i)
            finish({}, std::move(clocks[i]), slower[i]);
    }

    const Dialect& dialect_;
    std::string kept_;
    std::string_view text_;
    std::vector<TableClock> clocks_;
    std::vector<size_t> clockOf_;
    Parsed parsed_;
    TimeWalk::Origin origin_;
};

}  // namespace

Result<Recording> readCsv(ByteSpan file, const Dialect& dialect, size_t rows) {
    return Reader(file, dialect).run(rows);
}

}  // namespace brusk::recording::csv
