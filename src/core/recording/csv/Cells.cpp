// One pass over the text; nothing is copied but quoted fields with doubled quotes.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recording/csv/Cells.h"

#include <fast_float/fast_float.h>

#include <algorithm>
#include <chrono>
#include <cmath>

#include "core/base/Text.h"

namespace brusk::recording::csv {

void Rows::skipBlanks() {
    while (!rest_.empty() && rest_[0] == ' ')
        rest_.remove_prefix(1);
}

std::string_view Rows::plainField() {
    size_t end = 0;
    while (end < rest_.size() && rest_[end] != separator_ && rest_[end] != '\n' && rest_[end] != '\r')
        ++end;
    const std::string_view field = rest_.substr(0, end);
    rest_.remove_prefix(end);
    return field;
}

std::string_view Rows::quotedField() {
    constexpr size_t kLongest = 65536;
    const std::string_view whole = rest_;
    size_t end = 1, lines = 0;
    bool doubled = false;
    for (;; ++end) {
        if (end >= std::min(whole.size(), kLongest)) {
            // Never closed: the quote is a character like any other.
            unclosed_ = true;
            return plainField();
        }
        if (whole[end] == '\n') ++lines;
        if (whole[end] != '"') continue;
        if (end + 1 >= whole.size() || whole[end + 1] != '"') break;
        doubled = true;
        ++end;
    }
    std::string_view field = whole.substr(1, end - 1);
    rest_.remove_prefix(end + 1);
    line_ += lines;
    // What stands between the closing quote and the separator belongs to nobody.
    (void)plainField();
    if (!doubled) return field;
    if (unquoted_.size() == unquotedUsed_) unquoted_.emplace_back();
    std::string& out = unquoted_[unquotedUsed_++];
    out.clear();
    for (size_t i = 0; i < field.size(); ++i) {
        out += field[i];
        if (field[i] == '"') ++i;
    }
    return out;
}

bool Rows::endOfRow() {
    if (rest_.empty()) return true;
    if (rest_[0] != '\n' && rest_[0] != '\r') return false;
    const bool both = rest_.size() > 1 && rest_[0] == '\r' && rest_[1] == '\n';
    rest_.remove_prefix(both ? 2 : 1);
    ++line_;
    return true;
}

bool Rows::next(std::vector<std::string_view>& cells) {
    while (!rest_.empty()) {
        cells.clear();
        // Moving the strings would move what the cells look at: room for a row's worth is made beforehand.
        unquotedUsed_ = 0;
        if (unquoted_.capacity() < 4096) unquoted_.reserve(4096);
        unclosed_ = false;
        rowLine_ = line_;
        bool anything = false;
        for (;;) {
            if (separator_ == ' ') {
                skipBlanks();
                if (endOfRow()) break;
            }
            const bool quoted = !rest_.empty() && rest_[0] == '"' && unquotedUsed_ < 4096;
            cells.push_back(trimmed(quoted ? quotedField() : plainField()));
            anything = anything || !cells.back().empty();
            if (endOfRow()) break;
            rest_.remove_prefix(1);  // the separator
            if (rest_.empty()) {
                if (separator_ != ' ') cells.emplace_back();
                break;
            }
        }
        if (anything) return true;
    }
    return false;
}

std::optional<double> numberOf(std::string_view cell, char decimal) {
    if (!cell.empty() && cell[0] == '+') cell.remove_prefix(1);
    if (cell.empty()) return std::nullopt;
    const char first = cell[cell[0] == '-' && cell.size() > 1 ? 1 : 0];
    if ((first < '0' || first > '9') && first != decimal) return std::nullopt;
    double value = 0;
    const fast_float::parse_options options(fast_float::chars_format::general, decimal);
    const auto [end, error] = fast_float::from_chars_advanced(cell.data(), cell.data() + cell.size(), value, options);
    if (error != std::errc() || end != cell.data() + cell.size() || !std::isfinite(value)) return std::nullopt;
    return value;
}

namespace {

/// Digits at the front as a number, at most `most` of them.
std::optional<int> digits(std::string_view& text, size_t most) {
    int value = 0;
    size_t count = 0;
    while (count < text.size() && count < most && text[count] >= '0' && text[count] <= '9')
        value = value * 10 + (text[count++] - '0');
    if (count == 0) return std::nullopt;
    text.remove_prefix(count);
    return value;
}

bool take(std::string_view& text, char c) {
    if (text.empty() || text[0] != c) return false;
    text.remove_prefix(1);
    return true;
}

/// ".250" or ",25" at the front; 0 where there is none.
double fraction(std::string_view& text) {
    if (text.size() < 2 || (text[0] != '.' && text[0] != ',') || text[1] < '0' || text[1] > '9') return 0;
    text.remove_prefix(1);
    double value = 0, scale = 0.1;
    while (!text.empty() && text[0] >= '0' && text[0] <= '9') {
        value += scale * (text[0] - '0');
        scale /= 10;
        text.remove_prefix(1);
    }
    return value;
}

/// "2026-03-01", "01.03.2026", "1/3/26" at the front.
std::optional<int64_t> takeDate(std::string_view& text, DateOrder order) {
    constexpr int kCentury = 2000;
    std::string_view rest = text;
    const size_t before = rest.size();
    const auto a = digits(rest, 4);
    const size_t firstDigits = before - rest.size();
    if (!a || rest.empty() || (rest[0] != '-' && rest[0] != '.' && rest[0] != '/')) return std::nullopt;
    const char sign = rest[0];
    rest.remove_prefix(1);
    const auto b = digits(rest, 2);
    if (!b || !take(rest, sign)) return std::nullopt;
    const auto c = digits(rest, 4);
    if (!c) return std::nullopt;
    int year = *c, month = *b, day = *a;
    if (firstDigits == 4) {
        year = *a, day = *c;
    } else if ((sign == '/' && order == DateOrder::MonthFirst && *a <= 12) || *b > 12) {
        month = *a, day = *b;
    }
    if (year < 100) year += kCentury;
    const std::chrono::year_month_day date{std::chrono::year(year), std::chrono::month(static_cast<unsigned>(month)),
                                           std::chrono::day(static_cast<unsigned>(day))};
    if (!date.ok()) return std::nullopt;
    text = rest;
    return std::chrono::sys_days(date).time_since_epoch().count();
}

/// "7:03:05.250", "03:05,25" (minutes and seconds), "7:03:05:250", "7:03 PM" until the end.
std::optional<double> wholeClock(std::string_view text, bool afterDate) {
    const auto a = digits(text, 6);
    if (!a || !take(text, ':')) return std::nullopt;
    const auto b = digits(text, 2);
    if (!b || *b > 59) return std::nullopt;
    double seconds = 0;
    if (take(text, ':')) {
        const auto c = digits(text, 2);
        if (!c || *c > 60) return std::nullopt;
        seconds = *a * 3600.0 + *b * 60.0 + *c;
        if (take(text, ':')) {
            const auto ms = digits(text, 3);
            if (!ms) return std::nullopt;
            seconds += *ms / 1000.0;
        }
        seconds += fraction(text);
    } else if (const double part = fraction(text); part > 0 || (!afterDate && text.empty())) {
        seconds = *a * 60.0 + *b + part;
    } else {
        seconds = *a * 3600.0 + *b * 60.0;
    }
    text = trimmed(text);
    const std::string half = toLower(text);
    if (half == "am" || half == "pm") {
        const bool noon = *a % 12 == 0 && *a > 0;
        return seconds + (half == "pm" && !noon ? 43200 : 0) - (half == "am" && noon ? 43200 : 0);
    }
    if (half == "z" || half.empty()) return seconds;
    // "+01:00": the zone changes nothing between two times of one file.
    if ((half[0] == '+' || half[0] == '-') && half.size() <= 6 &&
        half.find_first_not_of("0123456789:", 1) == std::string::npos)
        return seconds;
    return std::nullopt;
}

}  // namespace

std::optional<ClockTime> clockOf(std::string_view cell, DateOrder order) {
    if (const auto alone = wholeClock(cell, false)) return ClockTime{*alone};
    std::string_view rest = cell;
    const auto day = takeDate(rest, order);
    if (!day || rest.empty() || (rest[0] != ' ' && rest[0] != 'T' && rest[0] != 't')) return std::nullopt;
    const auto time = wholeClock(trimmed(rest.substr(1)), true);
    if (!time) return std::nullopt;
    return ClockTime{*time, *day};
}

std::optional<int64_t> dateOf(std::string_view cell, DateOrder order) {
    const auto day = takeDate(cell, order);
    return day && cell.empty() ? day : std::nullopt;
}

bool isMissingWord(std::string_view cell) {
    constexpr std::string_view kWords[] = {
        "",       "nan",     "n/a",     "na",      "#n/a",    "null",    "none",   "nil",      "-",
        "--",     "---",     "----",    "invalid", "missing", "?",       "??",     "???",      "*",
        "**",     "***",     "err",     "error",   "inf",     "-inf",    "+inf",   "infinity", "-nan",
        "1.#inf", "1.#qnan", "-1.#ind", "#value!", "#div/0!", "no data", "nodata", "n.a.",     "undef"};
    const std::string word = toLower(cell);
    return std::find(std::begin(kWords), std::end(kWords), word) != std::end(kWords);
}

}  // namespace brusk::recording::csv
