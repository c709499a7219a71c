// The text of a definition before anybody asks what it means: encodings, included files, lines, words.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <algorithm>
#include <cstring>
#include <functional>
#include <string>
#include <string_view>
#include <vector>

#include "core/base/Result.h"
#include "core/definition/Definition.h"

namespace brusk::definition {

/// Gives the text of a file that an "/include" names.
using IncludeReader = std::function<Result<std::string>(const std::string& name)>;

/// A word of the text. Beside a literal it is compared by as many bytes as that has, which the compiler knows: a view
/// is compared by a call, and most of what reading a definition does is to ask which keyword this is.
class A2lWord : public std::string_view {
  public:
    using std::string_view::string_view;
    constexpr A2lWord(std::string_view text) : std::string_view(text) {}  // NOLINT: it is one
    template <size_t N>
    friend bool operator==(const A2lWord& word, const char (&literal)[N]) {
        return word.size() == N - 1 && std::memcmp(word.data(), literal, N - 1) == 0;
    }
};

struct A2lToken {
    enum class Kind : uint8_t {
        Word,
        String,  ///< `text` is what stands between the quotes, escapes and all
        Begin,   ///< "/begin"; `text` is the block's keyword
        Close,   ///< "/end"; likewise
        Include,
        EndOfText
    };
    Kind kind = Kind::EndOfText;
    A2lWord text;
    size_t begin = 0;  ///< offset of its first byte
    size_t end = 0;    ///< offset behind its last
};

/// Splits a text into tokens; comments and blanks are passed over.
class A2lTokens {
  public:
    using Complain = std::function<void(size_t offset, const char* what)>;
    A2lTokens(std::string_view text, Complain complain)
        : text_(text), complain_(std::move(complain)), at_(text.starts_with("\xEF\xBB\xBF") ? 3 : 0) {}

    A2lToken next();
    /// Goes on at the "/end" of a block without looking at what is in it, or at the end of the text.
    void skipToEndOf(std::string_view keyword);

  private:
    void skipBlanks();
    A2lToken word();
    A2lToken string();

    std::string_view text_;
    Complain complain_;
    size_t at_;
};

/// Turns bytes from a file into a text; UTF-16 is converted.
SourceText makeSourceText(std::string bytes);
/// Puts each included file (up to 16 deep) in the place of its "/include"; what can't be is said in `diagnostics`.
SourceText withIncludes(const SourceText& source, const IncludeReader& include, std::vector<Diagnostic>& diagnostics);

/// Finds file and line of offsets; quick when they are asked for in rising order.
class LineFinder {
  public:
    explicit LineFinder(const SourceText& source) : source_(source) {}
    struct Place {
        std::string file;
        int line = 1;
    };
    Place of(size_t offset);

  private:
    const SourceText& source_;
    size_t offset_ = 0;
    size_t piece_ = 0;
    int line_ = 1;
};

/// A string token as the user reads it: escapes resolved, in UTF-8. What is no UTF-8 is taken as ISO 8859-1, and
/// `latin1` set.
std::string plainString(std::string_view between, bool& latin1);
/// A text as it stands between quotes in a file of this encoding; an error when the encoding lacks a character.
[[nodiscard]] Result<std::string> quotedString(std::string_view text, bool latin1);

}  // namespace brusk::definition
