// Guesses a table's dialect from its first rows, each point from those before it.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <cmath>
#include <set>

#include "core/base/Text.h"
#include "core/recording/csv/Csv.h"
#include "core/units/Units.h"

namespace brusk::recording::csv {

namespace {

constexpr size_t kHead_bytes = size_t{1} << 18;
constexpr size_t kMostRows = 300;

/// A row of the sample.
struct Row {
    size_t line = 0;
    std::vector<std::string> cells;
};
using Sample = std::vector<Row>;

/// What a cell is in a table of this decimal sign.
enum class Cell { Missing, Number, Clock, Text };
Cell kindOf(std::string_view cell, char decimal) {
    if (isMissingWord(cell)) return Cell::Missing;
    if (numberOf(cell, decimal)) return Cell::Number;
    if (clockOf(cell) || dateOf(cell)) return Cell::Clock;
    return Cell::Text;
}

Sample rowsOf(std::string_view text, char separator, size_t most, size_t firstLine = 1) {
    Sample out;
    Rows rows(text, separator, firstLine);
    std::vector<std::string_view> cells;
    while (out.size() < most && rows.next(cells))
        out.push_back({rows.line(), {cells.begin(), cells.end()}});
    return out;
}

/// The number of fields that most rows have.
size_t usualWidth(const Sample& sample) {
    std::map<size_t, size_t> seen;
    // Behind what may stand before the table.
    for (size_t i = sample.size() / 2; i < sample.size(); ++i)
        ++seen[sample[i].cells.size()];
    size_t best = 0, most = 0;
    for (const auto& [width, count] : seen)
        if (count >= most) best = width, most = count;
    return best;
}

class Guesser {
  public:
    Guesser(ByteSpan file, const Said& said) : file_(file), said_(said) {}

    Result<Guess> run() {
        if (file_.empty()) return fail(ErrorCode::BadInput, "The file is empty.");
        if (auto done = encoding(); !done) return tl::unexpected(done.error());
        if (auto done = separators(); !done) return tl::unexpected(done.error());
        sample_ = rowsOf(head_, out_.dialect.separator, kMostRows);
        width_ = usualWidth(sample_);
        types();
        if (auto done = structure(); !done) return tl::unexpected(done.error());
        columns();
        if (auto done = times(); !done) return tl::unexpected(done.error());
        missingWords();
        return std::move(out_);
    }

  private:
    const std::string* said(std::string_view id) const {
        const auto found = said_.find(id);
        return found == said_.end() ? nullptr : &found->second;
    }
    void point(std::string id, std::string title, std::string value, double certainty, std::string why,
               std::vector<GuessPoint::Choice> choices = {}, std::string takes = {}) {
        const bool told = said(id) != nullptr;
        out_.points.push_back({std::move(id), std::move(title), std::move(value), told ? 1.0 : certainty,
                               told ? "as you said" : std::move(why), std::move(choices), std::move(takes)});
    }
    static tl::unexpected<Error> wrong(std::string_view id, const std::string& value) {
        return fail(ErrorCode::BadInput, "\"" + value + "\" is nothing that \"" + std::string(id) + "\" can be.");
    }

    // --- encoding

    Done encoding() {
        constexpr std::pair<std::string_view, Encoding> kNames[] = {{"utf-8", Encoding::Utf8},
                                                                    {"utf-16le", Encoding::Utf16Little},
                                                                    {"utf-16be", Encoding::Utf16Big},
                                                                    {"windows-1252", Encoding::Windows1252}};
        auto [encoding, certainty, why] = likelyEncoding();
        if (const std::string* name = said("encoding")) {
            const auto* found =
                std::find_if(std::begin(kNames), std::end(kNames), [&](const auto& one) { return one.first == *name; });
            if (found == std::end(kNames)) return wrong("encoding", *name);
            encoding = found->second;
        }
        out_.dialect.encoding = encoding;
        std::string value;
        for (const auto& [name, one] : kNames)
            if (one == encoding) value = name;
        point("encoding", "Encoding", value, certainty, why,
              {{"utf-8", "UTF-8"},
               {"utf-16le", "UTF-16, little-endian"},
               {"utf-16be", "UTF-16, big-endian"},
               {"windows-1252", "Windows-1252 or Latin-1"}});
        const size_t size = std::min(file_.size(), kHead_bytes);
        head_ = textOf(file_.first(size), encoding, kept_);
        // The last row of the head may be cut off.
        if (size < file_.size()) head_ = head_.substr(0, head_.find_last_of("\r\n") + 1);
        const auto control = std::count_if(head_.begin(), head_.end(), [](char c) {
            return static_cast<uint8_t>(c) < 0x20 && c != '\n' && c != '\r' && c != '\t';
        });
        if (control * 50 > static_cast<long>(head_.size()))
            return fail(ErrorCode::BadInput, "This is no text: a table, an MDF 4 file or a candump log can be read.");
        return {};
    }

    std::tuple<Encoding, double, std::string> likelyEncoding() const {
        const auto begins = [&](std::initializer_list<uint8_t> mark) {
            return file_.size() >= mark.size() && std::equal(mark.begin(), mark.end(), file_.begin());
        };
        if (begins({0xEF, 0xBB, 0xBF})) return {Encoding::Utf8, 1, "the file says so at its beginning"};
        if (begins({0xFF, 0xFE})) return {Encoding::Utf16Little, 1, "the file says so at its beginning"};
        if (begins({0xFE, 0xFF})) return {Encoding::Utf16Big, 1, "the file says so at its beginning"};
        const size_t looked = std::min<size_t>(file_.size(), 4096) / 2 * 2;
        size_t even = 0, odd = 0;
        for (size_t i = 0; i < looked; ++i)
            if (file_[i] == 0) ++(i % 2 ? odd : even);
        if (odd * 3 > looked && even * 20 < looked) return {Encoding::Utf16Little, 0.9, "every second byte is nil"};
        if (even * 3 > looked && odd * 20 < looked) return {Encoding::Utf16Big, 0.9, "every second byte is nil"};
        if (!isUtf8(asText(file_))) return {Encoding::Windows1252, 0.8, "it holds bytes that are no UTF-8"};
        const bool ascii = std::all_of(file_.begin(), file_.end(), [](uint8_t b) { return b < 0x80; });
        return {Encoding::Utf8, 1, ascii ? "all plain letters" : "all of it is valid UTF-8"};
    }

    // --- separator and decimal sign

    struct Pair {
        char separator, decimal;
        double score;
    };

    /// The last rows of the head: what stands before a table is over by then.
    std::string_view lastRows() const {
        constexpr size_t kRows = 120;
        size_t at = head_.size();
        for (size_t row = 0; row <= kRows && at != 0 && at != std::string_view::npos; ++row)
            at = head_.find_last_of("\n\r", at - 1);
        return at == 0 || at == std::string_view::npos ? head_ : head_.substr(at + 1);
    }

    /// How much of a table the text is when it is read so.
    double score(char separator, char decimal) const {
        const Sample sample = rowsOf(lastRows(), separator, SIZE_MAX);
        const size_t width = usualWidth(sample);
        if (width == 0) return 0;
        double rows = 0, even = 0, cells = 0, good = 0;
        for (size_t i = sample.size() / 2; i < sample.size(); ++i) {
            ++rows;
            if (sample[i].cells.size() != width) continue;
            ++even;
            for (const std::string& cell : sample[i].cells) {
                const Cell kind = kindOf(cell, decimal);
                if (kind == Cell::Missing) continue;
                ++cells;
                // A text that a separator of another kind would part is not one of this table.
                if (kind != Cell::Text)
                    good += 1;
                else if (cell.find_first_of(",;\t|") == std::string::npos)
                    good += 0.3;
            }
        }
        if (rows == 0 || cells == 0) return 0;
        const double wide = width == 1 ? 0.4 : 1 - 0.3 / static_cast<double>(width);
        return even / rows * (good / cells) * wide;
    }

    Done separators() {
        std::vector<Pair> pairs;
        for (const char separator : {',', ';', '\t', '|', ' '})
            for (const char decimal : {'.', ','})
                if (separator != decimal) pairs.push_back({separator, decimal, score(separator, decimal)});
        const auto better = [](const Pair& a, const Pair& b) { return a.score > b.score; };
        std::stable_sort(pairs.begin(), pairs.end(), better);
        char separator = pairs[0].separator, decimal = pairs[0].decimal;
        if (const std::string* value = said("separator")) {
            if (*value == "tab")
                separator = '\t';
            else if (*value == "blank")
                separator = ' ';
            else if (value->size() == 1 && !isalnum(static_cast<uint8_t>((*value)[0])))
                separator = (*value)[0];
            else
                return wrong("separator", *value);
            decimal = score(separator, ',') > score(separator, '.') && separator != ',' ? ',' : '.';
        }
        if (const std::string* value = said("decimal")) {
            if (*value != "." && *value != ",") return wrong("decimal", *value);
            decimal = (*value)[0];
            if (!said("separator"))
                for (auto pair = pairs.rbegin(); pair != pairs.rend(); ++pair)
                    if (pair->decimal == decimal) separator = pair->separator;
        }
        const auto other = [&](auto differs) {
            double best = 0;
            for (const Pair& pair : pairs)
                if (differs(pair)) best = std::max(best, pair.score);
            return best;
        };
        const double first = score(separator, decimal);
        const auto sure = [&](double next) { return first <= 0 ? 0.1 : std::clamp(1 - next / first, 0.5, 0.99); };
        if (first <= 0 && !said("separator"))
            return fail(ErrorCode::BadInput, "There is no table in this text: no rows of numbers that one sign parts.");
        out_.dialect.separator = separator;
        out_.dialect.decimal = decimal;
        point("separator", "Separator",
              separator == '\t'  ? "tab"
              : separator == ' ' ? "blank"
                                 : std::string(1, separator),
              sure(other([&](const Pair& p) { return p.separator != separator; })),
              "rows come out equally long and their fields as numbers",
              {{",", "comma  ,"}, {";", "semicolon  ;"}, {"tab", "tab"}, {"|", "bar  |"}, {"blank", "blanks"}});
        const bool seen = decimalIsSeen(separator, decimal);
        const bool otherSeen = decimalIsSeen(separator, decimal == '.' ? ',' : '.');
        point("decimal", "Decimal sign", std::string(1, decimal),
              !seen       ? 0.6
              : otherSeen ? sure(other([&](const Pair& p) { return p.separator == separator && p.decimal != decimal; }))
                          : 0.98,
              seen ? "the numbers are written with it" : "no number in the first rows has decimals",
              {{".", "point  ."}, {",", "comma  ,"}});
        return {};
    }

    bool decimalIsSeen(char separator, char decimal) const {
        for (const Row& row : rowsOf(lastRows(), separator, SIZE_MAX))
            for (const std::string& cell : row.cells)
                if (cell.find(decimal) != std::string::npos && numberOf(cell, decimal)) return true;
        return false;
    }

    // --- header, units, first row

    /// Which columns hold numbers, by the later rows.
    void types() {
        numeric_.assign(width_, 0);
        filled_.assign(width_, 0);
        for (size_t i = sample_.size() / 2; i < sample_.size(); ++i)
            for (size_t c = 0; c < std::min(width_, sample_[i].cells.size()); ++c) {
                const Cell kind = kindOf(sample_[i].cells[c], out_.dialect.decimal);
                filled_[c] += kind != Cell::Missing;
                numeric_[c] += kind == Cell::Number || kind == Cell::Clock;
            }
    }

    bool isNumeric(size_t column) const { return filled_[column] > 0 && numeric_[column] * 5 >= filled_[column] * 4; }

    /// A row of data has no text where the column has numbers.
    bool isData(const Row& row) const {
        if (row.cells.size() * 2 < width_ || row.cells.size() > width_ + 1) return false;
        size_t numbers = 0, fits = 0, columns = 0;
        for (size_t c = 0; c < std::min(width_, row.cells.size()); ++c) {
            if (!isNumeric(c)) continue;
            ++columns;
            const Cell kind = kindOf(row.cells[c], out_.dialect.decimal);
            fits += kind != Cell::Text;
            numbers += kind == Cell::Number || kind == Cell::Clock;
        }
        return columns == 0 || (numbers > 0 && fits * 10 >= columns * 7);
    }

    /// "# made by hand": not of the table, unless it is the row right above it.
    static bool isRemark(const Row& row) {
        const std::string& first = row.cells[0];
        return first.starts_with('#') || first.starts_with('%') || first.starts_with("//");
    }

    static bool looksLikeUnits(const Row& row) {
        size_t known = 0, longOnes = 0, filled = 0;
        for (const std::string& raw : row.cells) {
            const std::string cell = withoutBrackets(raw);
            if (cell.empty()) continue;
            ++filled;
            known += units::findUnit(cell) != nullptr;
            longOnes += cell.size() > 12;
        }
        return filled > 0 && known * 3 >= filled && longOnes == 0;
    }

    static std::string withoutBrackets(const std::string& text) {
        const bool round = text.size() > 1 && text.front() == '(' && text.back() == ')';
        const bool square = text.size() > 1 && text.front() == '[' && text.back() == ']';
        return round || square ? std::string(trimmed(std::string_view(text).substr(1, text.size() - 2))) : text;
    }

    std::optional<size_t> lineSaid(std::string_view id, bool& bad) const {
        const std::string* value = said(id);
        if (!value) return std::nullopt;
        if (*value == "none") return 0;
        const auto line = parseUnsigned(*value);
        bad = !line || *line == 0 || *line > kMostRows * 10;
        return line ? std::optional<size_t>(*line) : std::nullopt;
    }

    Done structure() {
        Dialect& d = out_.dialect;
        if (width_ == 0 || sample_.empty()) return fail(ErrorCode::BadInput, "There is no row in this table.");
        size_t first = 0;
        while (first < sample_.size() && !isData(sample_[first]))
            ++first;
        if (first == sample_.size() && !said("first")) first = std::min<size_t>(1, sample_.size() - 1);
        // Rows of text as wide as the table, right above it.
        size_t top = first;
        while (top > 0 && first - top < 3 && sample_[top - 1].cells.size() + 1 >= width_ &&
               sample_[top - 1].cells.size() <= width_ + 1 && (width_ > 1 || top == first) &&
               (top == first || !isRemark(sample_[top - 1])))
            --top;
        size_t header = top < first ? sample_[top].line : 0;
        size_t unit = 0;
        for (size_t i = top + 1; i < first; ++i)
            if (unit == 0 && looksLikeUnits(sample_[i])) unit = sample_[i].line;
        size_t firstLine = sample_[first].line;
        bool bad = false;
        if (const auto line = lineSaid("first", bad)) firstLine = *line;
        if (bad || firstLine == 0) return wrong("first", *said("first"));
        if (const auto line = lineSaid("header", bad)) header = *line;
        if (bad) return wrong("header", *said("header"));
        const bool headerFits = header == 0 || rowAt(header);
        if (!headerFits) return wrong("header", *said("header"));
        if (const auto line = lineSaid("units", bad)) unit = *line;
        if (bad && *said("units") != "brackets") return wrong("units", *said("units"));
        if (bad) unit = 0;
        bracketed_ =
            unit == 0 && (said("units") ? *said("units") == "brackets" : header > 0 && headersHaveBrackets(header));
        d.firstLine = firstLine, d.headerLine = header, d.unitLine = unit;
        if (std::all_of(numeric_.begin(), numeric_.end(), [](size_t n) { return n == 0; }))
            return fail(ErrorCode::BadInput, "There is no column of numbers in this text.");
        const bool clear =
            first < sample_.size() && std::any_of(numeric_.begin(), numeric_.end(), [](size_t n) { return n > 0; });
        point("header", "Names in line", header ? std::to_string(header) : "none", header ? (clear ? 0.95 : 0.5) : 0.8,
              header ? "a row of texts right above the numbers" : "the numbers begin with the first row", {},
              "a line's number, or none");
        point("units", "Units",
              unit         ? std::to_string(unit)
              : bracketed_ ? "brackets"
                           : "none",
              unit         ? 0.9
              : bracketed_ ? 0.95
                           : 0.8,
              unit         ? "a row of units below the names"
              : bracketed_ ? "names end with a unit in brackets"
                           : "neither below the names nor in them",
              {}, "a line's number, brackets, or none");
        point("first", "Data from line", std::to_string(firstLine), clear ? 0.95 : 0.5,
              "the first row that is filled like those after it", {}, "a line's number");
        return {};
    }

    const Row* rowAt(size_t line) const {
        for (const Row& row : sample_)
            if (row.line == line) return &row;
        return nullptr;
    }

    /// "Boost (kPa)" as "Boost" and "kPa"; nothing where there are no brackets at the end.
    static std::optional<std::pair<std::string, std::string>> parted(const std::string& header) {
        if (header.empty()) return std::nullopt;
        const char close = header.back();
        const char open = close == ')' ? '(' : close == ']' ? '[' : close == '}' ? '{' : '\0';
        if (open == '\0') return std::nullopt;
        // The bracket that the last one closes: "rate (1/(s))".
        int depth = 0;
        for (size_t i = header.size(); i-- > 0;) {
            if (header[i] == close) ++depth;
            if (header[i] == open && --depth == 0)
                return std::pair{std::string(trimmed(std::string_view(header).substr(0, i))),
                                 std::string(trimmed(std::string_view(header).substr(i + 1, header.size() - i - 2)))};
        }
        return std::nullopt;
    }

    bool headersHaveBrackets(size_t line) const {
        const Row* row = rowAt(line);
        if (!row) return false;
        size_t known = 0;
        for (const std::string& cell : row->cells)
            if (const auto parts = parted(cellText(cell, out_.dialect.encoding)))
                known += units::findUnit(parts->second) != nullptr;
        return known > 0;
    }

    // --- columns

    void columns() {
        const Dialect& d = out_.dialect;
        const Row* names = d.headerLine ? rowAt(d.headerLine) : nullptr;
        const Row* unitRow = d.unitLine ? rowAt(d.unitLine) : nullptr;
        // A trailing separator is no column.
        size_t count = std::max(width_, names ? names->cells.size() : 0);
        const auto named = [&](size_t c) { return names && c < names->cells.size() && !names->cells[c].empty(); };
        while (count > 1 && !named(count - 1) && (count > width_ || filled_[count - 1] == 0))
            --count;
        for (size_t c = 0; c < count; ++c) {
            Column column;
            if (named(c)) column.header = cellText(names->cells[c], d.encoding);
            if (c == 0 && names && isRemark(*names)) {
                const size_t begin = std::min(column.header.find_first_not_of("#%/ "), column.header.size());
                column.header.erase(0, begin);
            }
            column.name = column.header.empty() ? "column " + std::to_string(c + 1) : column.header;
            if (unitRow && c < unitRow->cells.size())
                column.unit = withoutBrackets(cellText(unitRow->cells[c], d.encoding));
            if (bracketed_)
                if (const auto parts = parted(column.header); parts && !parts->first.empty())
                    column.name = parts->first, column.unit = parts->second;
            column.name = unused(column.name);
            kindOfColumn(c, column);
            out_.dialect.columns.push_back(std::move(column));
        }
    }

    /// The name, or with (2), (3) ... behind it where others have it already.
    std::string unused(const std::string& name) {
        std::string out = name;
        for (size_t n = 2; !names_.insert(out).second; ++n)
            out = name + " (" + std::to_string(n) + ")";
        return out;
    }

    void kindOfColumn(size_t c, Column& column) const {
        size_t numbers = 0, clocks = 0, dates = 0, texts = 0;
        for (const Row& row : sample_) {
            if (row.line < out_.dialect.firstLine || c >= row.cells.size()) continue;
            const std::string& cell = row.cells[c];
            switch (kindOf(cell, out_.dialect.decimal)) {
                case Cell::Missing:
                    break;
                case Cell::Number:
                    ++numbers;
                    break;
                case Cell::Clock:
                    clockOf(cell) ? ++clocks : ++dates;
                    break;
                case Cell::Text:
                    ++texts;
            }
        }
        const size_t all = numbers + clocks + dates + texts;
        column.kind = all == 0 ? Column::Kind::Number : Column::Kind::States;
        column.certainty = all == 0 ? 0.5 : 0.9;
        if (all == 0) return;
        const auto share = [&](size_t part) { return static_cast<double>(part) / static_cast<double>(all); };
        if (share(numbers) > 0.8) column.kind = Column::Kind::Number, column.certainty = share(numbers);
        if (share(clocks) > 0.8) column.form = TimeForm::Clock;
        if (share(dates) > 0.8) column.kind = Column::Kind::Nothing;
    }

    // --- time

    std::vector<double> numbersOf(size_t c, bool clock) const {
        std::vector<double> out;
        double day = 0;
        for (const Row& row : sample_) {
            if (row.line < out_.dialect.firstLine || c >= row.cells.size()) continue;
            if (!clock) {
                if (const auto v = numberOf(row.cells[c], out_.dialect.decimal)) out.push_back(*v);
                continue;
            }
            const auto v = clockOf(row.cells[c], out_.dialect.dateOrder);
            if (!v) continue;
            double t = v->seconds + day + (v->day ? static_cast<double>(*v->day) * 86400 : 0);
            if (!v->day && !out.empty() && t < out.back() - 43200) t += 86400, day += 86400;
            out.push_back(t);
        }
        return out;
    }

    /// How much a column looks like a clock, 0 to 1.
    double clockness(size_t c) const {
        const Column& column = out_.dialect.columns[c];
        const bool clock = column.form == TimeForm::Clock;
        if (column.kind != Column::Kind::Number && !clock) return 0;
        const auto values = numbersOf(c, clock);
        if (values.size() < 2) return 0;
        size_t rising = 0, still = 0;
        for (size_t i = 1; i < values.size(); ++i)
            rising += values[i] > values[i - 1], still += values[i] == values[i - 1];
        const auto steps = static_cast<double>(values.size() - 1);
        const double up = static_cast<double>(rising) / steps, flat = static_cast<double>(still) / steps;
        if (up + flat < 0.9 || up < 0.2) return 0;
        const auto* unit = units::findUnit(column.unit);
        if (unit && unit->quantity != units::Quantity::Time) return 0;
        const double named = isTimeName(column.name) ? 0.35 : 0;
        // Without a name, a unit or colons only the first column is a clock, and only one that runs evenly.
        if (named == 0 && !unit && !clock && (c != 0 || !runsEvenly(values))) return 0;
        return 0.3 * up + named + (c == 0 ? 0.15 : 0) + (clock ? 0.25 : 0) + (unit ? 0.2 : 0);
    }

    static bool runsEvenly(const std::vector<double>& values) {
        double least = INFINITY, most = 0;
        for (size_t i = 1; i < values.size(); ++i)
            least = std::min(least, values[i] - values[i - 1]), most = std::max(most, values[i] - values[i - 1]);
        return least > 0 && most < 20 * least;
    }

    static bool isTimeName(const std::string& name) {
        constexpr std::string_view kWords[] = {"time", "timestamp", "clock",   "t",      "sec",    "secs", "seconds",
                                               "zeit", "ms",        "tiempo",  "temps",  "tempo",  "tid",  "tijd",
                                               "czas", "aika",      "elapsed", "millis", "offset", "timer"};
        std::string word;
        for (const char c : toLower(name) + " ") {
            const bool letter = (c >= 'a' && c <= 'z') || static_cast<uint8_t>(c) >= 0x80;
            if (letter) {
                word += c;
                continue;
            }
            if (std::find(std::begin(kWords), std::end(kWords), word) != std::end(kWords)) return true;
            word.clear();
        }
        return false;
    }

    Done times() {
        Dialect& d = out_.dialect;
        if (auto done = dateOrder(); !done) return done;
        std::vector<double> clockness_(d.columns.size());
        size_t best = 0;
        for (size_t c = 0; c < d.columns.size(); ++c) {
            clockness_[c] = clockness(c);
            if (clockness_[c] > clockness_[best]) best = c;
        }
        constexpr double kLeast = 0.4;
        std::vector<size_t> clocks;
        double certainty = 0.8;
        if (const std::string* value = said("time")) {
            if (auto done = timeSaid(*value, clocks); !done) return done;
        } else if (!clockness_.empty() && clockness_[best] >= kLeast) {
            clocks = ownClocks(clockness_);
            if (clocks.empty()) clocks = {best};
            certainty = std::min(0.99, 0.4 + 0.6 * clockness_[best]);
        }
        std::string names;
        for (const size_t c : clocks) {
            names += (names.empty() ? "" : ",") + std::to_string(c + 1);
            d.columns[c].kind = Column::Kind::Time;
        }
        point("time", "Time in column", clocks.empty() ? "none" : names, certainty,
              clocks.empty()      ? "no column rises from row to row"
              : clocks.size() > 1 ? "each part of the table has a clock of its own"
                                  : "it rises from row to row",
              timeChoices());
        // Other clocks and dates are no signals.
        for (Column& column : d.columns)
            if (column.kind == Column::Kind::States && column.form == TimeForm::Clock)
                column.kind = Column::Kind::Nothing, column.certainty = 0.8;
        if (clocks.empty()) return {};
        if (auto done = forms(clocks); !done) return done;
        return timeBack(clocks[0]);
    }

    std::vector<GuessPoint::Choice> timeChoices() const {
        std::vector<GuessPoint::Choice> out{{"none", "none"}};
        for (size_t c = 0; c < out_.dialect.columns.size(); ++c)
            out.push_back({std::to_string(c + 1), out_.dialect.columns[c].name});
        return out;
    }

    Done timeSaid(const std::string& value, std::vector<size_t>& clocks) const {
        if (value == "none") return {};
        std::string_view rest = value;
        while (!rest.empty()) {
            const size_t end = std::min(rest.find(','), rest.size());
            const auto column = parseUnsigned(trimmed(rest.substr(0, end)));
            if (!column || *column == 0 || *column > out_.dialect.columns.size()) return wrong("time", value);
            clocks.push_back(*column - 1);
            rest.remove_prefix(std::min(end + 1, rest.size()));
        }
        std::sort(clocks.begin(), clocks.end());
        return {};
    }

    /// Time, value, time, value ...: several columns that are clocks by name and rise, the first of them in front.
    std::vector<size_t> ownClocks(const std::vector<double>& clockness) const {
        std::vector<size_t> out;
        for (size_t c = 0; c < clockness.size(); ++c)
            if (clockness[c] > 0 && isTimeName(out_.dialect.columns[c].name)) out.push_back(c);
        if (out.size() < 2 || out[0] != 0 || out.back() + 1 >= clockness.size()) return {};
        for (size_t i = 1; i < out.size(); ++i)
            if (out[i] - out[i - 1] < 2) return {};
        return out;
    }

    Done dateOrder() {
        Dialect& d = out_.dialect;
        size_t first = 0, second = 0, slashes = 0;
        for (const Row& row : sample_)
            for (const std::string& cell : row.cells) {
                int a = 0, b = 0, year = 0;
                if (std::sscanf(cell.c_str(), "%2d/%2d/%4d", &a, &b, &year) != 3) continue;
                ++slashes, first += a > 12, second += b > 12;
            }
        d.dateOrder = second > first ? DateOrder::MonthFirst : DateOrder::DayFirst;
        if (const std::string* value = said("dates")) {
            if (*value != "day-first" && *value != "month-first") return wrong("dates", *value);
            d.dateOrder = *value == "month-first" ? DateOrder::MonthFirst : DateOrder::DayFirst;
        }
        if (slashes == 0) return {};
        point("dates", "Dates", d.dateOrder == DateOrder::MonthFirst ? "month-first" : "day-first",
              first + second > 0 ? 0.99 : 0.5,
              first + second > 0 ? "the other way there would be a month 13" : "both ways would be dates",
              {{"day-first", "day/month/year"}, {"month-first", "month/day/year"}});
        return {};
    }

    static std::pair<TimeForm, double> likelyForm(const Column& column, const std::vector<double>& values,
                                                  std::string& why) {
        constexpr std::pair<std::string_view, TimeForm> kUnits[] = {{"s", TimeForm::Seconds},
                                                                    {"ms", TimeForm::Milliseconds},
                                                                    {"us", TimeForm::Microseconds},
                                                                    {"min", TimeForm::Minutes},
                                                                    {"h", TimeForm::Hours}};
        if (column.form == TimeForm::Clock)
            return why = "it is written as a time of day", std::pair{TimeForm::Clock, 0.99};
        if (const auto* unit = units::findUnit(column.unit))
            for (const auto& [symbol, form] : kUnits)
                if (unit->symbol == symbol) return why = "its unit says so", std::pair{form, 0.99};
        const std::string name = toLower(column.name);
        for (const std::string_view word : {"millis", "(ms)", "_ms", " ms", "msec"})
            if (name.find(word) != std::string::npos || name == "ms")
                return why = "its name says so", std::pair{TimeForm::Milliseconds, 0.95};
        std::vector<double> steps;
        bool whole = true;
        for (size_t i = 1; i < values.size(); ++i) {
            if (values[i] > values[i - 1]) steps.push_back(values[i] - values[i - 1]);
            whole = whole && values[i] == std::floor(values[i]);
        }
        if (steps.empty()) return why = "nothing tells", std::pair{TimeForm::Seconds, 0.3};
        std::nth_element(steps.begin(), steps.begin() + static_cast<long>(steps.size() / 2), steps.end());
        const double step = steps[steps.size() / 2];
        // Nobody records an engine once in five seconds or at more than 2 kHz.
        if (step >= 500 && whole && (step >= 2000 || values.front() > 1e13))
            return why = "its steps would be too long in ms", std::pair{TimeForm::Microseconds, 0.7};
        if (step >= 5) return why = "its steps would be too long in s", std::pair{TimeForm::Milliseconds, 0.8};
        return why = "its steps are those of a recording in s", std::pair{TimeForm::Seconds, whole ? 0.6 : 0.9};
    }

    Done forms(const std::vector<size_t>& clocks) {
        constexpr std::pair<std::string_view, TimeForm> kNames[] = {
            {"s", TimeForm::Seconds},   {"ms", TimeForm::Milliseconds}, {"us", TimeForm::Microseconds},
            {"min", TimeForm::Minutes}, {"h", TimeForm::Hours},         {"clock", TimeForm::Clock}};
        Dialect& d = out_.dialect;
        double certainty = 1;
        std::string why;
        for (const size_t c : clocks) {
            std::string reason;
            const auto [form, sure] =
                likelyForm(d.columns[c], numbersOf(c, d.columns[c].form == TimeForm::Clock), reason);
            d.columns[c].form = form;
            if (sure < certainty) certainty = sure, why = reason;
        }
        if (const std::string* value = said("time-form")) {
            const auto* found =
                std::find_if(std::begin(kNames), std::end(kNames), [&](const auto& n) { return n.first == *value; });
            if (found == std::end(kNames)) return wrong("time-form", *value);
            for (const size_t c : clocks)
                d.columns[c].form = found->second;
        }
        std::string value;
        for (const auto& [name, form] : kNames)
            if (form == d.columns[clocks[0]].form) value = name;
        point("time-form", "Time counts", value, certainty, why,
              {{"s", "seconds"},
               {"ms", "milliseconds"},
               {"us", "microseconds"},
               {"min", "minutes"},
               {"h", "hours"},
               {"clock", "time of day"}});
        return {};
    }

    Done timeBack(size_t clock) {
        Dialect& d = out_.dialect;
        const auto values = numbersOf(clock, d.columns[clock].form == TimeForm::Clock);
        double span = 0, back = 0;
        for (size_t i = 1; i < values.size(); ++i) {
            // A row alone that is wrong begins no part.
            const bool stays = i + 1 >= values.size() || values[i + 1] < values[i - 1];
            if (values[i] < values[i - 1] && stays) back = std::max(back, values[i - 1] - values[i]);
            span = std::max(span, values[i] - values[0]);
        }
        d.timeBack = back == 0 || back > span / 4 ? TimeBack::NewPart : TimeBack::LeaveOut;
        if (const std::string* value = said("time-back")) {
            if (*value != "new-part" && *value != "leave-out") return wrong("time-back", *value);
            d.timeBack = *value == "new-part" ? TimeBack::NewPart : TimeBack::LeaveOut;
        }
        point("time-back", "Where time goes back", d.timeBack == TimeBack::NewPart ? "new-part" : "leave-out",
              back == 0 ? 0.8 : 0.7,
              back == 0         ? "it does not in the first rows"
              : back > span / 4 ? "it goes back far"
                                : "it goes back a little",
              {{"new-part", "a new part"}, {"leave-out", "left out"}});
        return {};
    }

    // --- words for what is missing

    void missingWords() {
        Dialect& d = out_.dialect;
        std::map<std::string, size_t> words;
        std::set<std::string> known;
        for (const Row& row : sample_) {
            if (row.line < d.firstLine) continue;
            for (size_t c = 0; c < std::min(row.cells.size(), d.columns.size()); ++c) {
                if (d.columns[c].kind != Column::Kind::Number) continue;
                const std::string& cell = row.cells[c];
                if (isMissingWord(cell) && !cell.empty()) known.insert(cell);
                if (kindOf(cell, d.decimal) == Cell::Text) ++words[cellText(cell, d.encoding)];
            }
        }
        for (const auto& [word, count] : words)
            if (count > 1) d.missing.push_back(word);
        if (const std::string* value = said("missing")) {
            d.missing.clear();
            std::string_view rest = *value;
            while (!rest.empty()) {
                const size_t end = std::min(rest.find(' '), rest.size());
                if (end > 0) d.missing.emplace_back(rest.substr(0, end));
                rest.remove_prefix(std::min(end + 1, rest.size()));
            }
        }
        std::string text;
        for (const std::string& word : d.missing)
            text += (text.empty() ? "" : " ") + word;
        std::string why = "cells that are empty";
        for (const std::string& word : known)
            why += ", \"" + word + "\"";
        point("missing", "Words for a missing value", text, d.missing.empty() ? 0.95 : 0.7, why + " are missing anyway",
              {}, "words with blanks between");
    }

    ByteSpan file_;
    const Said& said_;
    Guess out_;
    std::string kept_;
    std::string_view head_;
    Sample sample_;
    size_t width_ = 0;
    bool bracketed_ = false;
    std::vector<size_t> numeric_, filled_;
    std::set<std::string> names_;
};

}  // namespace

Result<Guess> guess(ByteSpan file, const Said& said) {
    return Guesser(file, said).run();
}

}  // namespace brusk::recording::csv
