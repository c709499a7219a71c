// Two ways to the same numbers: line by line through Rows, which knows everything a table can be, and, for lines
// without quotes, in one loop over the characters that parts the text among the processors. The quick way gives up on
// what it does not know: a line at a time, or, where a quoted field runs over several lines, on the whole text.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recording/csv/Parse.h"

#include <algorithm>
#include <atomic>
#include <cmath>
#include <cstring>

#include "core/base/Parallel.h"
#include "core/base/Text.h"
#include "core/recording/TextCodes.h"

namespace brusk::recording::csv {

void Complaints::add(const std::string& kind, size_t line, About about, const std::string& what) {
    Kind& k = kinds_[kind];
    if (++k.count <= kInFull) k.first.emplace_back(line, about, what);
}

void Complaints::add(const Complaints& other) {
    for (const auto& [kind, theirs] : other.kinds_) {
        Kind& k = kinds_[kind];
        k.count += theirs.count;
        k.first.insert(k.first.end(), theirs.first.begin(), theirs.first.end());
    }
}

std::vector<std::string> Complaints::all() const {
    std::vector<std::tuple<size_t, About, std::string>> sentences;
    for (const auto& [kind, k] : kinds_) {
        auto first = k.first;
        std::stable_sort(first.begin(), first.end(),
                         [](const auto& a, const auto& b) { return std::get<0>(a) < std::get<0>(b); });
        if (first.size() > kInFull) first.resize(kInFull);
        sentences.insert(sentences.end(), first.begin(), first.end());
    }
    std::stable_sort(sentences.begin(), sentences.end(), [](const auto& a, const auto& b) {
        return std::tie(std::get<0>(a), std::get<1>(a)) < std::tie(std::get<0>(b), std::get<1>(b));
    });
    std::vector<std::string> out;
    out.reserve(sentences.size() + kinds_.size());
    for (const auto& [line, about, what] : sentences)
        out.push_back("Line " + std::to_string(line) + ": " + what + ".");
    for (const auto& [kind, k] : kinds_)
        if (k.count > kInFull) out.push_back("In all " + std::to_string(k.count) + " " + kind + ".");
    return out;
}

namespace {

constexpr float kNone = std::numeric_limits<float>::quiet_NaN();
using About = Complaints::About;
using Kind = Column::Kind;

/// What all parts of the text share.
struct Table {
    const Dialect& dialect;
    const std::vector<size_t>& clockOf;
    std::vector<double> toSeconds;  ///< of a time column that counts; 0 for clock times and all else
    std::vector<bool> wide;         ///< columns of numbers that float32 can't hold
    size_t clocks = 0;

    size_t count() const { return dialect.columns.size(); }
};

/// Rows of one part of the text, put into the table's columns from a row on.
class Part {
  public:
    Part(const Table& table, Parsed& out, size_t firstRow) : table_(table), out_(out), row_(firstRow) {
        for (size_t c = 0; c < table.count(); ++c) {
            const Kind kind = table.dialect.columns[c].kind;
            Cells& cells = out.columns[c];
            columns_.push_back({kind, table.wide[c], cells.narrow.data(), cells.wide.data(), table.toSeconds[c],
                                kind == Kind::Number || table.toSeconds[c] != 0});
        }
        codes_.resize(table.count());
    }
    /// The columns lie elsewhere now.
    void moved() {
        for (size_t c = 0; c < columns_.size(); ++c) {
            columns_[c].narrow = out_.columns[c].narrow.data();
            columns_[c].wide = out_.columns[c].wide.data();
        }
    }

    /// One row through its cells.
    void take(const std::vector<std::string_view>& cells, size_t line, bool unclosed) {
        const size_t count = table_.count();
        if (unclosed)
            complaints.add("quotes that nothing closes", line, About::Row, "a quote is opened and never closed");
        if (cells.size() < count && cells.size() * 2 < count)
            complaints.add("rows that are too short", line, About::Row,
                           std::to_string(cells.size()) + " fields where " + std::to_string(count) + " were expected");
        if (std::any_of(cells.begin() + static_cast<long>(std::min(count, cells.size())), cells.end(),
                        [](std::string_view cell) { return !cell.empty(); }))
            complaints.add("rows that are too long", line, About::Row,
                           std::to_string(cells.size()) + " fields where " + std::to_string(count) +
                               " were expected; the last ones are left out");
        const auto cell = [&](size_t c) { return c < cells.size() ? cells[c] : std::string_view(); };
        for (size_t c = 0; c < count; ++c)
            if (columns_[c].kind == Kind::Time && !putTime(c, cell(c))) noTime(cell(c), line);
        for (size_t c = 0; c < count; ++c) {
            if (columns_[c].kind != Kind::Number && columns_[c].kind != Kind::States) continue;
            if (!onClock(c))
                putNone(c);
            else if (!putValue(c, cell(c)))
                noNumber(c, cell(c), line);
        }
        out_.lines[row_++] = static_cast<uint32_t>(line);
    }

    /// All lines of a text that ends with a line end; false where only one walk through all of it can tell what it
    /// says.
    bool takeAll(std::string_view text, size_t line) {
        const char* p = text.data();
        for (const char* const end = p + text.size(); p < end; ++line) {
            if (const char* next = takePlain(p, line)) {
                p = next;
                continue;
            }
            const char* next = static_cast<const char*>(std::memchr(p, '\n', static_cast<size_t>(end - p))) + 1;
            if (!takeLine({p, static_cast<size_t>(next - p)}, line)) return false;
            p = next;
        }
        return true;
    }

    /// One line through Rows; false where its quotes may go on in the next.
    bool takeLine(std::string_view text, size_t line) {
        const std::string_view inside = text.substr(0, text.find_last_not_of("\r\n") + 1);
        if (inside.find('\r') != std::string_view::npos) return false;
        Rows rows(text, table_.dialect.separator, line);
        if (!rows.next(cells_)) return true;
        if (rows.unclosed()) return false;
        take(cells_, line, false);
        return true;
    }

    size_t row() const { return row_; }
    const TextCodes& codes(size_t column) const { return codes_[column]; }
    size_t missing(size_t column) const { return columns_[column].missing; }
    bool tooLarge(size_t column) const { return columns_[column].tooLarge; }
    Complaints complaints;

  private:
    struct Target {
        Kind kind;
        bool isWide;
        float* narrow;
        double* wide;
        double toSeconds;
        bool isPlain;  ///< its cells are numbers
        size_t missing = 0;
        bool tooLarge = false;
        // Of states: the cell before, and what it was.
        std::string text = {};
        float code = kNone;
    };

    bool onClock(size_t c) const {
        const size_t clock = table_.clockOf[c];
        return clock == std::string_view::npos || !std::isnan(columns_[clock].wide[row_]);
    }

    /// False where the cell is no time.
    bool putTime(size_t c, std::string_view cell) {
        Target& column = columns_[c];
        double& seconds = column.wide[row_];
        seconds = NAN;
        if (column.toSeconds != 0) {
            if (const auto number = numberOf(cell, table_.dialect.decimal)) seconds = *number * column.toSeconds;
        } else if (const auto time = csv::clockOf(cell, table_.dialect.dateOrder)) {
            seconds = time->seconds;
            out_.columns[c].days[row_] = time->day.value_or(Cells::kNoDay);
        }
        return !std::isnan(seconds);
    }
    void noTime(std::string_view cell, size_t line) {
        // With clocks side by side the shorter ones end before the others.
        if (cell.empty() && table_.clocks > 1) return;
        complaints.add("rows without a time", line, About::Time,
                       cell.empty() ? "the time is missing; the row is left out"
                                    : "\"" + cellText(cell.substr(0, 40), table_.dialect.encoding) +
                                          "\" is no time; the row is left out");
    }

    void putNumber(size_t c, double value) {
        Target& column = columns_[c];
        if (recording::Column::needsWide(value)) column.tooLarge = true;
        if (column.isWide)
            column.wide[row_] = value;
        else
            column.narrow[row_] = static_cast<float>(value);
    }
    void putNone(size_t c) {
        ++columns_[c].missing;
        putNumber(c, NAN);
    }
    /// False where the cell is neither a number nor a word for none.
    bool putValue(size_t c, std::string_view cell) {
        if (cell.empty()) return putNone(c), true;
        if (columns_[c].kind == Kind::States) return putState(c, cell), true;
        if (const auto number = numberOf(cell, table_.dialect.decimal)) return putNumber(c, *number), true;
        if (isMissingWord(cell)) return putNone(c), true;
        return false;
    }
    void putState(size_t c, std::string_view cell) {
        Target& column = columns_[c];
        if (column.text != cell) {
            column.text = cell;
            column.code = isMissingWord(cell) ? kNone : codes_[c].codeOf(cellText(cell, table_.dialect.encoding));
        }
        column.missing += std::isnan(column.code);
        column.narrow[row_] = column.code;
    }
    void noNumber(size_t c, std::string_view cell, size_t line) {
        putNone(c);
        const std::string text = cellText(cell.substr(0, 40), table_.dialect.encoding);
        const auto& missing = table_.dialect.missing;
        if (std::find(missing.begin(), missing.end(), text) == missing.end())
            complaints.add("cells that are no numbers", line, About::Cell,
                           "\"" + text + "\" in column \"" + table_.dialect.columns[c].name + "\" is no number");
    }

    /// A number at `p` whose digits one integer and one exact division hold, up to the separator or the line's end.
    static bool plainNumber(const char*& p, char separator, char decimal, double& out) {
        static constexpr double kPowers[] = {1e0, 1e1, 1e2,  1e3,  1e4,  1e5,  1e6,  1e7,
                                             1e8, 1e9, 1e10, 1e11, 1e12, 1e13, 1e14, 1e15};
        constexpr ptrdiff_t kMostDigits = 15;  // fewer than 2^53 whatever they are
        const char* q = p;
        const bool negative = *q == '-';
        q += negative;
        const char* const first = q;
        int64_t digits = 0;
        for (unsigned d = 0; (d = static_cast<unsigned char>(*q) - unsigned{'0'}) <= 9; ++q)
            digits = digits * 10 + d;
        ptrdiff_t count = q - first, behind = 0;
        if (*q == decimal) {
            const char* const point = ++q;
            for (unsigned d = 0; (d = static_cast<unsigned char>(*q) - unsigned{'0'}) <= 9; ++q)
                digits = digits * 10 + d;
            behind = q - point;
            count += behind;
        }
        if (count == 0 || count > kMostDigits || (*q != separator && *q != '\n' && *q != '\r')) return false;
        const double value = static_cast<double>(digits) / kPowers[behind];
        out = negative ? -value : value;
        p = q;
        return true;
    }

    /// A line of plain fields that needs no complaint: where the next begins. Null for any other, as if nothing was.
    const char* takePlain(const char* p, size_t line) {
        const char separator = table_.dialect.separator, decimal = table_.dialect.decimal;
        const size_t count = table_.count(), row = row_;
        size_t c = 0;
        bool anything = false;
        for (;; ++p, ++c) {
            if (c >= count) break;
            Target& column = columns_[c];
            double value = NAN;
            if (column.isPlain && plainNumber(p, separator, decimal, value)) {
                anything = true;
                if (column.toSeconds != 0)
                    column.wide[row] = value * column.toSeconds;
                else
                    putNumber(c, value);
            } else if (*p == '"') {
                break;
            } else {
                const char* q = p;
                while (*q != separator && *q != '\n' && *q != '\r')
                    ++q;
                const std::string_view cell = trimmed({p, static_cast<size_t>(q - p)});
                anything = anything || !cell.empty();
                p = q;
                if (column.kind == Kind::Time ? !putTime(c, cell) : column.kind != Kind::Nothing && !putValue(c, cell))
                    return nullptr;
            }
            if (*p != separator) break;
        }
        if (*p == '\r') ++p;
        if (*p != '\n') return nullptr;
        // Lines that are empty, or hold nothing but separators, are no rows.
        if (!anything) return p + 1;
        if (c + 1 < count) return nullptr;
        out_.lines[row_++] = static_cast<uint32_t>(line);
        return p + 1;
    }

    const Table& table_;
    Parsed& out_;
    size_t row_;
    std::vector<Target> columns_;
    std::vector<TextCodes> codes_;
    std::vector<std::string_view> cells_;
};

/// The claim of a header that most rows do not keep.
bool claimsTooMuch(size_t cells, size_t bytes) {
    constexpr size_t kFree = size_t{16} << 20;
    return cells > kFree + 4 * bytes;
}

class Parser {
  public:
    Parser(std::string_view text, const Dialect& dialect, const std::vector<size_t>& clockOf)
        : text_(text), table_{dialect, clockOf, {}, {}} {
        constexpr double kSeconds[] = {1, 1e-3, 1e-6, 60, 3600, 0};
        for (const csv::Column& column : dialect.columns) {
            const bool isTime = column.kind == Kind::Time;
            table_.toSeconds.push_back(isTime ? kSeconds[static_cast<int>(column.form)] : 0);
            table_.wide.push_back(isTime);
            table_.clocks += isTime;
        }
    }

    Result<Parsed> run(size_t most) {
        for (;;) {
            bool again = false;
            out_ = {};
            if (most != SIZE_MAX || table_.dialect.separator == ' ' || !sideBySide()) {
                out_ = {};
                if (auto done = oneWalk(most); !done) return tl::unexpected(done.error());
            }
            for (size_t c = 0; c < table_.count(); ++c)
                if (tooLarge_[c] && !table_.wide[c]) table_.wide[c] = again = true;
            // Counters beyond 2^24 are rare: the text is read once more for them.
            if (!again) return std::move(out_);
        }
    }

  private:
    static size_t linesIn(std::string_view text) {
        size_t out = 0;
        for (size_t at = text.find('\n'); at != std::string_view::npos; at = text.find('\n', at + 1))
            ++out;
        return out;
    }

    void makeRoom(size_t rows) {
        out_.columns.resize(table_.count());
        out_.lines.resize(rows);
        for (size_t c = 0; c < table_.count(); ++c) {
            const csv::Column& column = table_.dialect.columns[c];
            Cells& cells = out_.columns[c];
            if (column.kind == Kind::Nothing) continue;
            if (table_.wide[c])
                cells.wide.resize(rows);
            else
                cells.narrow.resize(rows);
            if (column.kind == Kind::Time && column.form == TimeForm::Clock) cells.days.resize(rows);
        }
    }
    void cutTo(size_t rows) {
        out_.rows = rows;
        out_.lines.resize(rows);
        for (Cells& cells : out_.columns) {
            if (!cells.wide.empty()) cells.wide.resize(rows);
            if (!cells.narrow.empty()) cells.narrow.resize(rows);
            if (!cells.days.empty()) cells.days.resize(rows);
        }
    }

    /// Line by line.
    Done oneWalk(size_t most) {
        tooLarge_.assign(table_.count(), false);
        const size_t lines = static_cast<size_t>(std::count(text_.begin(), text_.end(), '\n') +
                                                 std::count(text_.begin(), text_.end(), '\r')) +
                             1;
        // A row has a separator for each column: room for all is never more than a few times the file.
        size_t room = std::min({most, lines, text_.size() / std::max<size_t>(1, table_.count()) + 1});
        makeRoom(room);
        auto part = std::make_unique<Part>(table_, out_, 0);
        Rows rows(text_, table_.dialect.separator, table_.dialect.firstLine);
        std::vector<std::string_view> cells;
        for (size_t row = 0; row < most && rows.next(cells); ++row) {
            if (claimsTooMuch((row + 1) * table_.count(), text_.size()))
                return failIn({.line = static_cast<int>(rows.line())}, ErrorCode::BadInput,
                              "Line " + std::to_string(rows.line()) + ": the header claims " +
                                  std::to_string(table_.count()) + " columns, most rows have far fewer.");
            if (row == room) {
                makeRoom(room = std::min(most, 2 * room));
                part->moved();
            }
            part->take(cells, rows.line(), rows.unclosed());
        }
        finish(*part);
        const size_t count = part->row();
        cutTo(count);
        for (size_t c = 0; c < table_.count(); ++c) {
            out_.columns[c].fullOfTexts = part->codes(c).full();
            for (const State& state : part->codes(c).states())
                out_.columns[c].texts.push_back(state.text);
        }
        return {};
    }

    void finish(const Part& part) {
        out_.complaints.add(part.complaints);
        for (size_t c = 0; c < table_.count(); ++c) {
            out_.columns[c].missing += part.missing(c);
            if (part.tooLarge(c)) tooLarge_[c] = true;
        }
    }

    /// The text in parts, each by itself; false where that can't be done.
    bool sideBySide() {
        constexpr size_t kPart = size_t{4} << 20;
        struct Piece {
            std::string_view text;
            size_t lines = 0, firstLine = 0, rows = 0;
        };
        std::vector<Piece> pieces;
        const size_t whole = text_.rfind('\n') + 1;
        for (size_t at = 0; at < whole;) {
            const size_t end = std::min(whole, text_.find('\n', std::min(whole - 1, at + kPart)) + 1);
            pieces.push_back({text_.substr(at, end - at)});
            at = end;
        }
        inParallel(pieces.size(), [&](size_t i) { pieces[i].lines = linesIn(pieces[i].text); });
        size_t lines = 0;
        for (Piece& piece : pieces) {
            piece.firstLine = table_.dialect.firstLine + lines;
            lines += piece.lines;
        }
        if (claimsTooMuch((lines + 1) * table_.count(), text_.size())) return false;
        tooLarge_.assign(table_.count(), false);
        makeRoom(lines + 1);
        std::vector<std::unique_ptr<Part>> parts(pieces.size() + 1);
        std::atomic<bool> odd{false};
        inParallel(pieces.size(), [&](size_t i) {
            if (odd) return;
            const size_t first = pieces[i].firstLine - table_.dialect.firstLine;
            parts[i] = std::make_unique<Part>(table_, out_, first);
            if (!parts[i]->takeAll(pieces[i].text, pieces[i].firstLine)) odd = true;
            pieces[i].rows = parts[i]->row() - first;
        });
        if (odd) return false;
        // The last line may have no end.
        pieces.push_back({text_.substr(whole), 1, table_.dialect.firstLine + lines});
        parts.back() = std::make_unique<Part>(table_, out_, lines);
        if (!parts.back()->takeLine(pieces.back().text, pieces.back().firstLine)) return false;
        pieces.back().rows = parts.back()->row() - lines;
        for (const auto& part : parts)
            finish(*part);
        mergeTexts(parts, [&](size_t i) {
            const size_t first = pieces[i].firstLine - table_.dialect.firstLine;
            return std::pair(first, first + pieces[i].rows);
        });
        closeUp(pieces);
        return true;
    }

    /// One number for each text, whichever parts it is in.
    template <class RowsOf>
    void mergeTexts(const std::vector<std::unique_ptr<Part>>& parts, RowsOf rowsOf) {
        for (size_t c = 0; c < table_.count(); ++c) {
            if (table_.dialect.columns[c].kind != Kind::States) continue;
            TextCodes all;
            for (size_t i = 0; i < parts.size(); ++i) {
                std::vector<float> code;
                for (const State& state : parts[i]->codes(c).states())
                    code.push_back(all.codeOf(state.text));
                const auto [first, last] = rowsOf(i);
                float* values = out_.columns[c].narrow.data();
                for (size_t row = first; row < last; ++row)
                    if (!std::isnan(values[row])) values[row] = code[static_cast<size_t>(values[row])];
                out_.columns[c].fullOfTexts = out_.columns[c].fullOfTexts || parts[i]->codes(c).full();
            }
            out_.columns[c].fullOfTexts = out_.columns[c].fullOfTexts || all.full();
            for (const State& state : all.states())
                out_.columns[c].texts.push_back(state.text);
        }
    }

    /// Lines that were no rows left room between the parts.
    template <class Pieces>
    void closeUp(const Pieces& pieces) {
        std::vector<std::array<size_t, 3>> moves;  // from, count, to
        size_t rows = 0;
        for (const auto& piece : pieces) {
            const size_t from = piece.firstLine - table_.dialect.firstLine;
            if (from != rows && piece.rows > 0) moves.push_back({from, piece.rows, rows});
            rows += piece.rows;
        }
        const auto move = [&](auto& numbers) {
            if (numbers.empty()) return;
            for (const auto& [from, count, to] : moves)
                std::memmove(numbers.data() + to, numbers.data() + from, count * sizeof numbers[0]);
        };
        move(out_.lines);
        inParallel(out_.columns.size(), [&](size_t c) {
            move(out_.columns[c].narrow);
            move(out_.columns[c].wide);
            move(out_.columns[c].days);
        });
        cutTo(rows);
    }

    std::string_view text_;
    Table table_;
    Parsed out_;
    std::vector<bool> tooLarge_;
};

}  // namespace

Result<Parsed> parse(std::string_view text, const Dialect& dialect, const std::vector<size_t>& clockOf, size_t most) {
    return Parser(text, dialect, clockOf).run(most);
}

}  // namespace brusk::recording::csv
