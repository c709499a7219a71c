// Tables in text: what a file's dialect is, guessed and correctable; reading by it; writing.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/Bytes.h"
#include "core/base/Result.h"
#include "core/recording/GuessPoint.h"
#include "core/recording/Recording.h"
#include "core/recording/csv/Cells.h"
#include "core/storage/FileSystem.h"

namespace brusk::recording::csv {

enum class Encoding { Utf8, Utf16Little, Utf16Big, Windows1252 };
/// What a column of times counts.
enum class TimeForm { Seconds, Milliseconds, Microseconds, Minutes, Hours, Clock };
/// A time that is earlier than the one before it: a new part of the recording, laid behind the one before; or a row
/// that is wrong.
enum class TimeBack { NewPart, LeaveOut };

struct Column {
    enum class Kind { Number, States, Time, Nothing };
    std::string header;  ///< as the file has it
    std::string name;    ///< without its unit
    std::string unit;
    Kind kind = Kind::Number;
    TimeForm form = TimeForm::Seconds;  ///< of a time
    double certainty = 1;               ///< of the kind
};

/// Everything that must be known to read a table.
struct Dialect {
    Encoding encoding = Encoding::Utf8;
    char separator = ',';  ///< ' ': blanks
    char decimal = '.';
    size_t headerLine = 0;  ///< from 1; 0: there is none
    size_t unitLine = 0;    ///< the same
    size_t firstLine = 1;   ///< of the data
    DateOrder dateOrder = DateOrder::DayFirst;
    TimeBack timeBack = TimeBack::LeaveOut;
    std::vector<std::string> missing = {};  ///< words beside those of isMissingWord()
    /// In the file's order. Columns behind a time column, up to the next, are on its clock; those before the first are
    /// on the first's. Without one the table tells no time.
    std::vector<Column> columns = {};
};

struct Guess {
    Dialect dialect;
    std::vector<GuessPoint> points;
};

/// What the file most likely is. What somebody said is taken as it is, and the rest guessed with it. BadInput where it
/// is no table at all, and where what was said makes no sense (which names the point).
[[nodiscard]] Result<Guess> guess(ByteSpan file, const Said& said = {});

/// Reads a table. Cells that are missing become NaN, texts states; columns that are filled at a slower rate than the
/// rows become groups of their own. What can't be read is left out and said with its line (Recording::damage); a table
/// without any row that can be read is an error. `rows`: at most so many, for a first look.
[[nodiscard]] Result<Recording> readCsv(ByteSpan file, const Dialect& dialect, size_t rows = SIZE_MAX);

struct CsvOptions {
    char separator = ',';
    char decimal = '.';
    /// One clock for all: rows at each time that any channel has, blanks between. Otherwise each group has a time
    /// column of its own, side by side.
    bool oneClock = true;
};
/// The recording as UTF-8 text: a header, a row of units, times in s. States are written as their texts.
[[nodiscard]] Result<std::string> toCsv(const Recording& recording, const CsvOptions& options = {});

/// The file as UTF-8 without its mark, or a copy in `kept` where it is stored otherwise; Windows-1252 stays as it is.
std::string_view textOf(ByteSpan file, Encoding encoding, std::string& kept);
/// A cell as UTF-8.
std::string cellText(std::string_view cell, Encoding encoding);

}  // namespace brusk::recording::csv
