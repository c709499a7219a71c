// Characters to words: comments, strings, included files.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/definition/A2lText.h"

#include <algorithm>
#include <array>
#include <cstring>

namespace brusk::definition {
namespace {

constexpr int kDeepestInclude = 16;
constexpr size_t kLargestText = size_t{1} << 31;

enum : uint8_t { kBlank = 1, kEndsWord = 2 };
constexpr auto kClasses = [] {
    std::array<uint8_t, 256> classes{};
    for (const char c : {' ', '\t', '\r', '\n', '\f', '\v', '\0'})
        classes[static_cast<uint8_t>(c)] = kBlank | kEndsWord;
    classes['"'] = classes['/'] = kEndsWord;
    return classes;
}();
uint8_t classOf(char c) {
    return kClasses[static_cast<uint8_t>(c)];
}

void appendUtf8(std::string& out, uint32_t point) {
    if (point < 0x80) {
        out += static_cast<char>(point);
    } else if (point < 0x800) {
        out += static_cast<char>(0xC0 | point >> 6);
        out += static_cast<char>(0x80 | (point & 63));
    } else if (point < 0x10000) {
        out += static_cast<char>(0xE0 | point >> 12);
        out += static_cast<char>(0x80 | (point >> 6 & 63));
        out += static_cast<char>(0x80 | (point & 63));
    } else {
        out += static_cast<char>(0xF0 | point >> 18);
        out += static_cast<char>(0x80 | (point >> 12 & 63));
        out += static_cast<char>(0x80 | (point >> 6 & 63));
        out += static_cast<char>(0x80 | (point & 63));
    }
}

/// Whether a text is ASCII without a backslash or a quotation mark, which nearly all are: eight characters at a time.
bool isPlain(std::string_view text) {
    constexpr uint64_t kOnes = 0x0101010101010101, kHighs = 0x8080808080808080;
    // A byte that is zero shows as its high bit; a false one only above a true one.
    const auto hasZero = [](uint64_t word) { return (word - kOnes) & ~word; };
    const auto odd = [&](uint64_t word) {
        return word | hasZero(word ^ kOnes * uint64_t{'"'}) | hasZero(word ^ kOnes * uint64_t{'\\'});
    };
    uint64_t bits = 0, word = 0;
    size_t at = 0;
    for (; at + sizeof word <= text.size(); at += sizeof word) {
        std::memcpy(&word, text.data() + at, sizeof word);
        bits |= odd(word);
    }
    word = kOnes;
    if (at < text.size()) std::memcpy(&word, text.data() + at, text.size() - at);
    return ((bits | odd(word)) & kHighs) == 0;
}

bool isUtf8(std::string_view text) {
    for (size_t i = 0; i < text.size();) {
        const auto lead = static_cast<uint8_t>(text[i++]);
        if (lead < 0x80) continue;
        const int more = lead >= 0xC2 && lead < 0xE0   ? 1
                         : lead >= 0xE0 && lead < 0xF0 ? 2
                         : lead >= 0xF0 && lead < 0xF5 ? 3
                                                       : 0;
        if (more == 0) return false;
        for (int k = 0; k < more; ++k, ++i)
            if (i >= text.size() || (static_cast<uint8_t>(text[i]) & 0xC0) != 0x80) return false;
    }
    return true;
}

std::string fromUtf16(std::string_view bytes, bool bigEndian) {
    std::string out;
    const auto unit = [&](size_t i) -> uint32_t {
        const auto a = static_cast<uint8_t>(bytes[i]), b = static_cast<uint8_t>(bytes[i + 1]);
        return bigEndian ? static_cast<uint32_t>(a << 8 | b) : static_cast<uint32_t>(b << 8 | a);
    };
    for (size_t i = 2; i + 1 < bytes.size(); i += 2) {
        uint32_t point = unit(i);
        if (point >= 0xD800 && point < 0xDC00 && i + 3 < bytes.size()) {
            point = 0x10000 + ((point - 0xD800) << 10) + ((unit(i + 2) - 0xDC00) & 0x3FF);
            i += 2;
        }
        appendUtf8(out, point);
    }
    return out;
}

std::string decoded(std::string bytes) {
    if (bytes.starts_with("\xFF\xFE")) return fromUtf16(bytes, false);
    if (bytes.starts_with("\xFE\xFF")) return fromUtf16(bytes, true);
    return bytes;
}

std::string utf8FromLatin1(std::string_view bytes) {
    std::string out;
    for (const char c : bytes)
        appendUtf8(out, static_cast<uint8_t>(c));
    return out;
}

/// Puts included files in their places, depth first.
class Includer {
  public:
    Includer(const IncludeReader& include, SourceText& out, std::vector<Diagnostic>& diagnostics)
        : include_(include), out_(out), diagnostics_(diagnostics) {}

    void add(const std::string& text, const std::string& file, int depth) {
        size_t from = 0;
        A2lTokens tokens(text, [](size_t, const char*) {});
        for (A2lToken token = tokens.next(); token.kind != A2lToken::Kind::EndOfText; token = tokens.next()) {
            if (token.kind == A2lToken::Kind::Begin && token.text == "A2ML") tokens.skipToEndOf("A2ML");
            if (token.kind != A2lToken::Kind::Include) continue;
            append(text, from, token.begin, file);
            from = token.end;
            insert(std::string(token.text), file, lineAt(text, token.begin), depth);
        }
        append(text, from, text.size(), file);
    }

  private:
    static int lineAt(const std::string& text, size_t offset) {
        return 1 + static_cast<int>(std::count(text.begin(), text.begin() + static_cast<long>(offset), '\n'));
    }

    void append(const std::string& text, size_t from, size_t to, const std::string& file) {
        out_.pieces.push_back({out_.text.size(), file, lineAt(text, from)});
        out_.text.append(text, from, to - from);
    }

    void insert(const std::string& name, const std::string& file, int line, int depth) {
        const auto missing = [&](const std::string& why) {
            diagnostics_.push_back({Diagnostic::Severity::Error, line,
                                    "The included file " + name + " " + why + "; what it defines is missing.", file});
        };
        if (!include_) return missing("is not read here");
        if (depth >= kDeepestInclude) return missing("is included more than 16 files deep");
        auto bytes = include_(name);
        if (!bytes) return missing("can't be read (" + bytes.error().text() + ")");
        std::string text = decoded(std::move(*bytes));
        if (text.starts_with("\xEF\xBB\xBF")) text.erase(0, 3);
        if (out_.text.size() + text.size() > kLargestText) return missing("makes the definition larger than 2 GiB");
        add(text, name, depth + 1);
    }

    const IncludeReader& include_;
    SourceText& out_;
    std::vector<Diagnostic>& diagnostics_;
};

}  // namespace

void A2lTokens::skipBlanks() {
    while (at_ < text_.size()) {
        const char* p = text_.data() + at_;
        const char* const last = text_.data() + text_.size();
        while (p < last && (classOf(*p) & kBlank))
            ++p;
        at_ = static_cast<size_t>(p - text_.data());
        if (at_ >= text_.size()) return;
        if (text_[at_] != '/' || at_ + 1 >= text_.size()) return;
        if (text_[at_ + 1] == '/') {
            at_ = std::min(text_.find('\n', at_), text_.size());
        } else if (text_[at_ + 1] == '*') {
            const size_t end = text_.find("*/", at_ + 2);
            if (end == std::string_view::npos) complain_(at_, "A comment is opened here and never closed.");
            at_ = end == std::string_view::npos ? text_.size() : end + 2;
        } else {
            return;
        }
    }
}

void A2lTokens::skipToEndOf(std::string_view keyword) {
    for (size_t at = at_;; at += 4) {
        at = text_.find("/end", at);
        if (at == std::string_view::npos) break;
        const size_t name = text_.find_first_not_of(" \t\r\n", at + 4);
        if (name == std::string_view::npos || text_.substr(name, keyword.size()) != keyword) continue;
        at_ = at;
        return;
    }
    at_ = text_.size();
}

A2lToken A2lTokens::word() {
    const char* const begin = text_.data();
    const char *const end = begin + text_.size(), *const first = begin + at_;
    const char* p = first + 1;  // a word may begin with a slash
    while (p < end && !(classOf(*p) & kEndsWord))
        ++p;
    const size_t from = at_;
    at_ = static_cast<size_t>(p - begin);
    return {A2lToken::Kind::Word, {first, static_cast<size_t>(p - first)}, from, at_};
}

A2lToken A2lTokens::string() {
    A2lToken token{A2lToken::Kind::String, {}, at_, 0};
    size_t at = at_ + 1;
    while (true) {
        const size_t quote = text_.find('"', at);
        if (quote == std::string_view::npos) {
            complain_(token.begin, "A string is opened here and never closed.");
            token.text = text_.substr(token.begin + 1);
            token.end = at_ = text_.size();
            return token;
        }
        size_t slashes = 0;
        while (quote - slashes > token.begin + 1 && text_[quote - slashes - 1] == '\\')
            ++slashes;
        const bool doubled = quote + 1 < text_.size() && text_[quote + 1] == '"';
        if (slashes % 2 == 1) {
            at = quote + 1;
        } else if (doubled) {
            at = quote + 2;
        } else {
            token.text = text_.substr(token.begin + 1, quote - token.begin - 1);
            token.end = at_ = quote + 1;
            return token;
        }
    }
}

A2lToken A2lTokens::next() {
    skipBlanks();
    if (at_ >= text_.size()) return {A2lToken::Kind::EndOfText, {}, text_.size(), text_.size()};
    if (text_[at_] == '"') return string();
    A2lToken token = word();
    if (token.text[0] != '/') return token;
    using Kind = A2lToken::Kind;
    const Kind kind = token.text == "/begin"     ? Kind::Begin
                      : token.text == "/end"     ? Kind::Close
                      : token.text == "/include" ? Kind::Include
                                                 : Kind::Word;
    if (kind == Kind::Word) return token;
    skipBlanks();
    if (at_ >= text_.size()) {
        complain_(token.begin, "The last word of the file lacks its name; the file is cut off.");
        return {Kind::EndOfText, {}, text_.size(), text_.size()};
    }
    if (kind == Kind::Include) {
        // A file name may hold slashes, quoted or not.
        A2lToken name = text_[at_] == '"' ? string() : A2lToken{Kind::Word, {}, at_, at_};
        if (name.kind == Kind::Word) {
            while (at_ < text_.size() && !(classOf(text_[at_]) & kBlank))
                ++at_;
            name.text = text_.substr(name.begin, at_ - name.begin);
        }
        return {kind, name.text, token.begin, at_};
    }
    const A2lToken name = text_[at_] == '"' ? string() : word();
    return {kind, name.text, token.begin, name.end};
}

SourceText makeSourceText(std::string bytes) {
    SourceText out;
    out.text = decoded(std::move(bytes));
    out.pieces.push_back({0, {}, 1});
    return out;
}

SourceText withIncludes(const SourceText& source, const IncludeReader& include, std::vector<Diagnostic>& diagnostics) {
    SourceText out;
    Includer(include, out, diagnostics).add(source.text, {}, 0);
    return out;
}

LineFinder::Place LineFinder::of(size_t offset) {
    const auto& pieces = source_.pieces;
    offset = std::min(offset, source_.text.size());
    const auto after = std::upper_bound(pieces.begin(), pieces.end(), offset,
                                        [](size_t at, const SourceText::Piece& piece) { return at < piece.begin; });
    const auto piece = static_cast<size_t>(after - pieces.begin()) - 1;
    if (piece != piece_ || offset < offset_ || offset_ < pieces[piece].begin)
        piece_ = piece, offset_ = pieces[piece].begin, line_ = pieces[piece].line;
    const auto at = [&](size_t i) { return source_.text.begin() + static_cast<long>(i); };
    line_ += static_cast<int>(std::count(at(offset_), at(offset), '\n'));
    offset_ = offset;
    return {pieces[piece].file, line_};
}

namespace {

std::string withoutEscapes(std::string_view between) {
    std::string out;
    for (size_t i = 0; i < between.size(); ++i) {
        char c = between[i];
        if (c == '"') {
            ++i;  // doubled
        } else if (c == '\\' && i + 1 < between.size()) {
            c = between[++i];
            c = c == 'n' ? '\n' : c == 't' ? '\t' : c == 'r' ? '\r' : c;
        }
        out += c;
    }
    return out;
}

}  // namespace

std::string plainString(std::string_view between, bool& latin1) {
    if (isPlain(between)) return std::string(between);
    std::string out = withoutEscapes(between);
    if (isUtf8(out)) return out;
    latin1 = true;
    return utf8FromLatin1(out);
}

Result<std::string> quotedString(std::string_view text, bool latin1) {
    std::string out = "\"";
    for (size_t i = 0; i < text.size(); ++i) {
        const char c = text[i];
        const auto lead = static_cast<uint8_t>(c);
        if (c == '"' || c == '\\') {
            out += '\\';
            out += c;
        } else if (c == '\n') {
            out += "\\n";
        } else if (c == '\r') {
            out += "\\r";
        } else if (c == '\t') {
            out += "\\t";
        } else if (!latin1 || lead < 0x80) {
            out += c;
        } else if ((lead == 0xC2 || lead == 0xC3) && i + 1 < text.size()) {
            out += static_cast<char>((lead & 3) << 6 | (text[++i] & 0x3F));
        } else {
            return fail(
                ErrorCode::BadInput,
                "\"" + std::string(text) + "\" has a character that the definition's encoding, ISO 8859-1, lacks.");
        }
    }
    return out + "\"";
}

}  // namespace brusk::definition
