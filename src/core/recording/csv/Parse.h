// The cells of a whole table as numbers, before anybody asks what the rows mean.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <map>

#include "core/recording/Column.h"
#include "core/recording/csv/Csv.h"

namespace brusk::recording::csv {

/// Sentences about lines: the first five of each kind in full, then their number.
class Complaints {
  public:
    /// In a line, shapes of rows come before times, times before cells.
    enum class About { Row, Time, Cell };
    void add(const std::string& kind, size_t line, About about, const std::string& what);
    void add(const Complaints& other);
    /// By line.
    std::vector<std::string> all() const;

  private:
    static constexpr size_t kInFull = 5;
    struct Kind {
        size_t count = 0;
        std::vector<std::tuple<size_t, About, std::string>> first;
    };
    std::map<std::string, Kind> kinds_;
};

/// One column of the table. Rows without a number have NaN.
struct Cells {
    Numbers<float> narrow;
    Numbers<double> wide;                 ///< times in s, and numbers that float32 can't hold, instead
    Numbers<int64_t> days;                ///< of clock times: since 1970; kNoDay where only the time of day is told
    std::vector<std::string> texts = {};  ///< of states: what the numbers stand for
    bool fullOfTexts = false;
    size_t missing = 0;  ///< rows without a number, or more

    static constexpr int64_t kNoDay = INT64_MIN;
    size_t size() const { return wide.empty() ? narrow.size() : wide.size(); }
};

/// A table's rows as they stand in the file. A row whose time can't be read has no numbers on that clock.
struct Parsed {
    size_t rows = 0;
    std::vector<Cells> columns;  ///< by the dialect's
    Numbers<uint32_t> lines;     ///< of each row
    Complaints complaints;
};

/// Parses on all processors where that gives what one walk would: `most` rows at most are one walk. `clockOf`: of each
/// column, the time column that its rows hang on; none: npos.
[[nodiscard]] Result<Parsed> parse(std::string_view text, const Dialect& dialect, const std::vector<size_t>& clockOf,
                                   size_t most);

}  // namespace brusk::recording::csv
