// Statements by their keyword, word for word; bits of either byte order to numbers.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/can/Dbc.h"

#include <algorithm>
#include <bit>
#include <cmath>
#include <limits>

#include "core/base/Text.h"

namespace brusk::can {
namespace {

/// Thrown inside readDbc() only, and caught by its statement.
struct BadStatement {
    std::string what;
};

/// One word, number, text in quotes, or sign.
struct Token {
    enum class Kind { Word, Text, Sign, End };
    Kind kind = Kind::End;
    std::string_view text;
    int line = 0;
};

class Tokens {
  public:
    explicit Tokens(std::string_view text) : rest_(text) { advance(); }

    const Token& peek() const { return next_; }
    Token take() {
        Token out = next_;
        advance();
        return out;
    }
    /// Behind the end of this line; a text in quotes that goes on is passed over whole.
    void skipLine(int line) {
        while (next_.kind != Token::Kind::End && next_.line == line)
            advance();
    }

  private:
    static bool isWord(char c) {
        return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') || c == '_' || c == '.' ||
               c == '+' || c == '-' || static_cast<uint8_t>(c) >= 0x80;
    }
    void advance() {
        while (!rest_.empty() && (rest_[0] == ' ' || rest_[0] == '\t' || rest_[0] == '\r' || rest_[0] == '\n')) {
            if (rest_[0] == '\n') ++line_;
            rest_.remove_prefix(1);
        }
        next_ = {Token::Kind::End, {}, line_};
        if (rest_.empty()) return;
        if (rest_[0] == '"') return text();
        size_t length = 0;
        while (length < rest_.size() && isWord(rest_[length]))
            ++length;
        next_.kind = length > 0 ? Token::Kind::Word : Token::Kind::Sign;
        next_.text = rest_.substr(0, std::max<size_t>(1, length));
        rest_.remove_prefix(next_.text.size());
    }
    void text() {
        size_t end = 1;
        while (end < rest_.size() && !(rest_[end] == '"' && rest_[end - 1] != '\\'))
            ++end;
        const std::string_view inside = rest_.substr(1, end - 1);
        next_ = {Token::Kind::Text, inside, line_};
        line_ += static_cast<int>(std::count(inside.begin(), inside.end(), '\n'));
        rest_.remove_prefix(std::min(end + 1, rest_.size()));
    }

    std::string_view rest_;
    Token next_;
    int line_ = 1;
};

class Reader {
  public:
    explicit Reader(std::string_view text) : in_(text) {}

    Result<Dbc> run() {
        while (in_.peek().kind != Token::Kind::End) {
            const Token keyword = in_.take();
            try {
                statement(keyword);
            } catch (const BadStatement& problem) {
                complain(keyword.line, problem.what);
                in_.skipLine(std::max(keyword.line, lastLine_));
            }
        }
        if (out_.messages.empty()) {
            if (!out_.damage.empty()) return fail(ErrorCode::BadInput, out_.damage.front());
            return fail(ErrorCode::BadInput, "There is no message in this DBC file.");
        }
        for (DbcMessage& message : out_.messages)
            settle(message);
        return std::move(out_);
    }

  private:
    void complain(int line, const std::string& what) {
        constexpr size_t kMost = 100;
        if (out_.damage.size() < kMost) out_.damage.push_back("DBC line " + std::to_string(line) + ": " + what + ".");
    }

    void statement(const Token& keyword) {
        lastLine_ = keyword.line;
        // In the list of new symbols keywords stand alone on their lines.
        const bool alone = in_.peek().line != keyword.line;
        if (alone) return;
        if (keyword.text == "BO_") return message();
        if (keyword.text == "SG_") return signal();
        if (keyword.text == "VAL_") return values();
        if (keyword.text == "SIG_VALTYPE_") return numberType();
        if (keyword.text == "SG_MUL_VAL_") return multiplexValues();
        if (keyword.text == "CM_") return comment();
        in_.skipLine(keyword.line);
    }

    Token next() {
        const Token out = in_.take();
        lastLine_ = out.line;
        return out;
    }
    std::string_view word(const char* what) {
        const Token token = next();
        if (token.kind != Token::Kind::Word) throw BadStatement{std::string(what) + " was expected"};
        return token.text;
    }
    void sign(char c) {
        const Token token = next();
        if (token.kind != Token::Kind::Sign || token.text[0] != c)
            throw BadStatement{std::string("\"") + c + "\" was expected, not \"" + validText(token.text.substr(0, 20)) +
                               "\""};
    }
    bool takeSign(char c) {
        const bool there = in_.peek().kind == Token::Kind::Sign && in_.peek().text[0] == c;
        if (there) next();
        return there;
    }
    std::string text(const char* what) {
        const Token token = next();
        if (token.kind != Token::Kind::Text) throw BadStatement{std::string(what) + " in quotes was expected"};
        return validText(token.text);
    }
    uint64_t whole(const char* what) {
        const auto value = parseUnsigned(word(what));
        if (!value) throw BadStatement{std::string(what) + " is no whole number"};
        return *value;
    }
    double number(const char* what) {
        const auto value = parseNumber(word(what));
        if (!value || !std::isfinite(*value)) throw BadStatement{std::string(what) + " is no number"};
        return *value;
    }

    static constexpr uint64_t kExtended = 0x80000000u;

    void message() {
        const uint64_t id = whole("a message's identifier");
        current_ = SIZE_MAX, stray_ = true;
        if (id > 0xFFFFFFFFu) throw BadStatement{"a message's identifier is out of range"};
        const std::string name = validText(word("a message's name"));
        sign(':');
        (void)whole("a message's length");
        in_.skipLine(lastLine_);
        // Signals of no message are kept under an identifier that no frame can have.
        constexpr uint64_t kNoMessage = 0xC0000000u;
        if (id == kNoMessage) return;
        const bool extended = (id & kExtended) != 0;
        if ((id & ~kExtended) > (extended ? 0x1FFFFFFFu : 0x7FFu))
            throw BadStatement{"a message's identifier is out of range"};
        current_ = out_.messages.size();
        out_.messages.push_back({static_cast<uint32_t>(id & ~kExtended), extended, name, {}});
    }

    void signal() {
        DbcSignal s;
        s.name = validText(word("a signal's name"));
        const int line = lastLine_;
        if (in_.peek().kind == Token::Kind::Word) multiplexMark(s);
        sign(':');
        const uint64_t start = whole("a signal's start bit");
        sign('|');
        const uint64_t bits = whole("a signal's length");
        sign('@');
        const std::string_view order = word("a signal's byte order and sign");
        if (order.size() != 2 || (order[0] != '0' && order[0] != '1') || (order[1] != '+' && order[1] != '-'))
            throw BadStatement{"a signal's byte order and sign can't be read"};
        sign('(');
        s.factor = number("a signal's factor");
        sign(',');
        s.offset = number("a signal's offset");
        sign(')');
        sign('[');
        (void)number("a signal's least value");
        sign('|');
        (void)number("a signal's largest value");
        sign(']');
        s.unit = text("a signal's unit");
        constexpr uint64_t kMostBits = 512;
        if (start >= kMostBits || bits == 0 || bits > 64)
            throw BadStatement{"the place of signal " + s.name + " is out of range"};
        s.startBit = static_cast<int>(start);
        s.bits = static_cast<int>(bits);
        s.bigEndian = order[0] == '0';
        s.isSigned = order[1] == '-';
        in_.skipLine(line);
        if (current_ == SIZE_MAX) {
            if (!stray_) throw BadStatement{"a signal stands before any message"};
            return;
        }
        out_.messages[current_].signalList.push_back(std::move(s));
    }

    /// "M", "m3", "m3M".
    void multiplexMark(DbcSignal& s) {
        std::string_view mark = next().text;
        if (mark.ends_with('M')) s.isSwitch = true, mark.remove_suffix(1);
        if (mark.empty()) return;
        const auto value = mark[0] == 'm' ? parseUnsigned(mark.substr(1)) : std::nullopt;
        if (!value) throw BadStatement{"how signal " + s.name + " is multiplexed can't be read"};
        s.multiplex = DbcMultiplex{{}, {{*value, *value}}};
    }

    /// The signal that "ID NAME" refers to; null where the file has none.
    DbcSignal* named() {
        const uint64_t id = whole("an identifier");
        const std::string_view name = word("a signal's name");
        for (DbcMessage& message : out_.messages)
            if (message.id == (id & ~kExtended) && message.extended == ((id & kExtended) != 0))
                for (DbcSignal& s : message.signalList)
                    if (s.name == name) return &s;
        return nullptr;
    }

    void values() {
        // Texts of an environment variable have no identifier in front.
        if (!parseUnsigned(in_.peek().text)) return in_.skipLine(lastLine_);
        DbcSignal* s = named();
        while (!takeSign(';')) {
            const double value = number("a value");
            std::string meaning = text("a value's text");
            if (s && std::abs(value) < 9e18) s->texts.emplace_back(static_cast<int64_t>(value), std::move(meaning));
        }
        if (s) std::stable_sort(s->texts.begin(), s->texts.end(), [](auto& a, auto& b) { return a.first < b.first; });
    }

    void numberType() {
        DbcSignal* s = named();
        takeSign(':');
        const uint64_t type = whole("a number type");
        if (type > 2) throw BadStatement{"a number type of " + std::to_string(type)};
        takeSign(';');
        if (s) s->number = static_cast<DbcSignal::Number>(type);
    }

    void multiplexValues() {
        DbcSignal* s = named();
        DbcMultiplex multiplex;
        multiplex.by = validText(word("a switch's name"));
        while (!takeSign(';')) {
            // "3-5" is one word: digits and a dash.
            const std::string_view range = word("a range of values");
            const size_t dash = range.find('-');
            const auto least = parseUnsigned(range.substr(0, dash));
            const auto most = dash == std::string_view::npos ? least : parseUnsigned(range.substr(dash + 1));
            if (!least || !most) throw BadStatement{"a range of values can't be read"};
            multiplex.values.emplace_back(*least, *most);
            takeSign(',');
        }
        if (s) s->multiplex = std::move(multiplex);
    }

    void comment() {
        if (in_.peek().kind != Token::Kind::Word || in_.peek().text != "SG_") return in_.skipLine(lastLine_);
        next();
        DbcSignal* s = named();
        std::string said = text("a comment");
        takeSign(';');
        if (s) s->comment = std::move(said);
    }

    /// What can only be seen when all was read.
    void settle(DbcMessage& message) {
        for (DbcSignal& s : message.signalList) {
            const int wanted = s.number == DbcSignal::Number::Float32   ? 32
                               : s.number == DbcSignal::Number::Float64 ? 64
                                                                        : 0;
            if (wanted == 0 || s.bits == wanted) continue;
            out_.damage.push_back("Signal " + s.name + " is a real number of " + std::to_string(s.bits) +
                                  " bits; it is read as a whole one.");
            s.number = DbcSignal::Number::Integer;
        }
    }

    Tokens in_;
    Dbc out_;
    size_t current_ = SIZE_MAX;  ///< the message whose signals come
    bool stray_ = false;         ///< those of none are nobody's fault
    int lastLine_ = 0;
};

}  // namespace

std::optional<uint64_t> DbcSignal::raw(const CanFrame& frame) const {
    uint64_t out = 0;
    int position = startBit;
    for (int i = 0; i < bits; ++i) {
        // Bits are counted as DBC does: byte = position / 8, bit 0 the least significant of a byte.
        if (position < 0 || position >= frame.length * 8) return std::nullopt;
        const uint64_t bit = frame.data[static_cast<size_t>(position / 8)] >> (position % 8) & 1;
        if (bigEndian) {
            out = out << 1 | bit;
            position = position % 8 == 0 ? position + 15 : position - 1;
        } else {
            out |= bit << i;
            ++position;
        }
    }
    return out;
}

double DbcSignal::decode(const CanFrame& frame) const {
    const auto held = raw(frame);
    if (!held) return std::numeric_limits<double>::quiet_NaN();
    double value = static_cast<double>(*held);
    if (number == Number::Float32)
        value = static_cast<double>(std::bit_cast<float>(static_cast<uint32_t>(*held)));
    else if (number == Number::Float64)
        value = std::bit_cast<double>(*held);
    else if (isSigned)
        value = static_cast<double>(static_cast<int64_t>(*held << (64 - bits)) >> (64 - bits));
    return value * factor + offset;
}

const DbcSignal* DbcMessage::find(std::string_view signal) const {
    for (const DbcSignal& s : signalList)
        if (s.name == signal) return &s;
    return nullptr;
}

namespace {

bool isThere(const DbcMessage& message, const DbcSignal& signal, const CanFrame& frame, int depth) {
    constexpr int kDeepest = 8;  // switches that depend on switches
    if (!signal.multiplex) return true;
    const DbcSignal* by = nullptr;
    if (!signal.multiplex->by.empty())
        by = message.find(signal.multiplex->by);
    else
        for (const DbcSignal& s : message.signalList)
            if (s.isSwitch && !s.multiplex) by = &s;
    if (!by || by == &signal || depth > kDeepest || !isThere(message, *by, frame, depth + 1)) return false;
    const auto at = by->raw(frame);
    return at && std::any_of(signal.multiplex->values.begin(), signal.multiplex->values.end(),
                             [&](const auto& range) { return *at >= range.first && *at <= range.second; });
}

}  // namespace

std::optional<double> DbcMessage::value(const DbcSignal& signal, const CanFrame& frame) const {
    if (!isThere(*this, signal, frame, 0)) return std::nullopt;
    return signal.decode(frame);
}

Result<Dbc> readDbc(std::string_view text) {
    return Reader(text).run();
}

}  // namespace brusk::can
