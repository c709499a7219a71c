// The block grammar of A2L read in one pass: "/begin X ... /end X", one inside another, arguments by their kind.
// A block that is not closed costs itself, not the file.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/definition/A2lText.h"

namespace brusk::definition {

/// Thrown inside the reader only, to give up one block; never leaves readA2l().
struct BrokenBlock {
    size_t offset;
    std::string message;
};

/// A token's text shortened for a message.
std::string nameForMessage(std::string_view text);

class A2lStream {
  public:
    A2lStream(SourceText& source, std::vector<Diagnostic>& diagnostics);

    size_t textSize() const { return source_.text.size(); }
    const A2lToken& peek() const { return token_; }
    size_t depth() const { return open_.size(); }
    A2lWord keyword() const { return open_.empty() ? A2lWord() : open_.back().keyword; }
    /// Where the innermost block begins; where the block that was left last ended.
    size_t blockBegin() const { return open_.back().begin; }
    size_t lastEnd() const { return lastEnd_; }

    /// Whether the innermost block goes on. If not, it was left; one that lacks its end is said.
    bool more();
    /// The next token is "/begin": goes into that block.
    void enter();
    /// Passes over the next word, string or whole block.
    void skip();
    /// Leaves blocks until only `depth` are open.
    void leaveTo(size_t depth);
    void advance() {
        token_ = tokens_.next();
        if (token_.kind == A2lToken::Kind::Include) passInclude();
    }
    /// Whether an "/include" was met; what it names is missing.
    bool metInclude() const { return metInclude_; }

    A2lWord word(const char* what);
    std::string string(const char* what);  ///< of a string or a word, as the user reads it
    double number(const char* what);
    uint32_t whole(const char* what, double limit = 4294967295.0);
    bool peekIsNumber() const;

    void error(size_t offset, std::string message) { say(Diagnostic::Severity::Error, offset, std::move(message)); }
    void warn(size_t offset, std::string message) { say(Diagnostic::Severity::Warning, offset, std::move(message)); }
    [[noreturn]] void broken(size_t offset, std::string message) const {
        throw BrokenBlock{offset, std::move(message)};
    }
    /// "<keyword>: expected <what>, found <token>."
    [[noreturn]] void expected(const char* what) const;

  private:
    struct Open {
        A2lWord keyword;
        size_t begin;
    };
    void passInclude();
    void say(Diagnostic::Severity severity, size_t offset, std::string message);
    bool argumentAhead() const { return token_.kind == A2lToken::Kind::Word || token_.kind == A2lToken::Kind::String; }

    SourceText& source_;
    std::vector<Diagnostic>& diagnostics_;
    LineFinder lines_;
    A2lTokens tokens_;
    A2lToken token_;
    std::vector<Open> open_;
    size_t lastEnd_ = 0;
    bool tooDeepSaid_ = false;
    bool metInclude_ = false;
};

}  // namespace brusk::definition
