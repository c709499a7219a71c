// Rows and cells of a table in text, and what a cell says: a number, a time, nothing.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace brusk::recording::csv {

/// Walks through a text row by row. Fields may be quoted ("" stands for "), and a quoted one may hold separators and
/// line ends; a quote that is never closed ends with its line.
class Rows {
  public:
    /// `separator` ' ': any number of blanks parts two fields.
    Rows(std::string_view text, char separator, size_t firstLine = 1)
        : rest_(text), separator_(separator), line_(firstLine) {}

    /// The next row that is not empty; false at the end. The cells live as long as the text, until the next call.
    bool next(std::vector<std::string_view>& cells);
    /// Of the row that next() gave.
    size_t line() const { return rowLine_; }
    /// Whether its quotes were never closed.
    bool unclosed() const { return unclosed_; }
    /// What is still to come.
    std::string_view rest() const { return rest_; }

  private:
    std::string_view plainField();
    std::string_view quotedField();
    bool endOfRow();
    void skipBlanks();

    std::string_view rest_;
    char separator_;
    size_t line_, rowLine_ = 0;
    bool unclosed_ = false;
    std::vector<std::string> unquoted_;  ///< fields whose doubled quotes were resolved
    size_t unquotedUsed_ = 0;
};

/// A cell's number with this decimal sign ("1.5", "-3e2", "+7"); nothing for anything else, NaN and infinity included.
std::optional<double> numberOf(std::string_view cell, char decimal);

/// A time of day, or a date with one: "7:03:05.250", "03:05,25", "2026-03-01T07:03:05Z", "01.03.2026 07:03", "7:03 PM".
struct ClockTime {
    double seconds = 0;               ///< of the day
    std::optional<int64_t> day = {};  ///< since 1970-01-01
};
/// How the days and months of a date follow each other where that is not plain: 01/02/2026.
enum class DateOrder { DayFirst, MonthFirst };
std::optional<ClockTime> clockOf(std::string_view cell, DateOrder order = DateOrder::DayFirst);
/// A date alone, as days since 1970.
std::optional<int64_t> dateOf(std::string_view cell, DateOrder order = DateOrder::DayFirst);

/// What programs commonly write for a sample that is missing, letter case aside.
bool isMissingWord(std::string_view cell);

}  // namespace brusk::recording::csv
