// Blocks and their words, with the line each stands on.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/definition/A2lStream.h"

#include <charconv>
#include <cmath>

#include "core/base/Text.h"

namespace brusk::definition {
namespace {

constexpr size_t kDeepest = 64;            // No A2L nests deeper than a handful.
constexpr size_t kMostDiagnostics = 1000;  // A hostile file must not fill the memory with complaints.

using Kind = A2lToken::Kind;

/// Plain whole numbers, most of all numbers in a definition, without the general parser.
std::optional<double> quickNumber(std::string_view text) {
    if (text.empty() || text.size() > 15) return parseNumber(text);
    if (text.size() > 2 && text[0] == '0' && (text[1] == 'x' || text[1] == 'X')) {
        uint64_t value = 0;
        const auto [end, problem] = std::from_chars(text.data() + 2, text.data() + text.size(), value, 16);
        if (problem == std::errc() && end == text.data() + text.size()) return static_cast<double>(value);
        return std::nullopt;
    }
    uint64_t value = 0;
    for (const char c : text) {
        if (c < '0' || c > '9') return parseNumber(text);
        value = value * 10 + static_cast<uint64_t>(c - '0');
    }
    return static_cast<double>(value);
}

}  // namespace

std::string nameForMessage(std::string_view text) {
    constexpr size_t kMost = 60;
    return std::string(text.substr(0, kMost)) + (text.size() > kMost ? "..." : "");
}

A2lStream::A2lStream(SourceText& source, std::vector<Diagnostic>& diagnostics)
    : source_(source),
      diagnostics_(diagnostics),
      lines_(source),
      tokens_(source.text, [this](size_t offset, const char* what) { error(offset, what); }) {
    advance();
}

void A2lStream::say(Diagnostic::Severity severity, size_t offset, std::string message) {
    if (diagnostics_.size() >= kMostDiagnostics) {
        if (diagnostics_.size() == kMostDiagnostics)
            diagnostics_.push_back({Diagnostic::Severity::Error,
                                    diagnostics_.back().line,
                                    "There is more like this; only the first 1000 are listed.",
                                    {}});
        return;
    }
    auto place = lines_.of(offset);
    diagnostics_.push_back({severity, place.line, std::move(message), std::move(place.file)});
}

void A2lStream::passInclude() {
    metInclude_ = true;
    while (token_.kind == Kind::Include)
        token_ = tokens_.next();
}

bool A2lStream::more() {
    while (true) {
        if (token_.kind == Kind::EndOfText) {
            if (open_.empty()) return false;
            error(open_.back().begin,
                  std::string(open_.back().keyword) + " is opened here and never closed; the file is cut off.");
            lastEnd_ = token_.begin;
            open_.pop_back();
            return false;
        }
        if (token_.kind != Kind::Close) return true;
        if (!open_.empty() && open_.back().keyword == token_.text) {
            lastEnd_ = token_.end;
            open_.pop_back();
            advance();
            return false;
        }
        const bool outer =
            std::any_of(open_.begin(), open_.end(), [&](const Open& o) { return o.keyword == token_.text; });
        if (outer) {
            const int line = lines_.of(token_.begin).line;
            error(open_.back().begin, nameForMessage(open_.back().keyword) +
                                          " is opened here and not closed before line " + std::to_string(line) + ".");
            lastEnd_ = token_.begin;
            open_.pop_back();
            return false;
        }
        error(token_.begin, "/end " + nameForMessage(token_.text) + " closes a block that was not opened.");
        advance();
    }
}

void A2lStream::enter() {
    open_.push_back({token_.text, token_.begin});
    advance();
}

void A2lStream::skip() {
    if (token_.kind != Kind::Begin) return advance();
    const size_t depth = open_.size();
    // A2ML has a grammar of its own: nothing in it is looked at.
    if (token_.text == "A2ML") tokens_.skipToEndOf("A2ML");
    enter();
    leaveTo(depth);
}

void A2lStream::leaveTo(size_t depth) {
    while (open_.size() > depth) {
        if (!more()) continue;
        if (token_.kind != Kind::Begin) {
            advance();
            continue;
        }
        if (token_.text == "A2ML") tokens_.skipToEndOf("A2ML");
        if (open_.size() < kDeepest) {
            enter();
            continue;
        }
        if (!tooDeepSaid_) error(token_.begin, "Blocks are nested more than 64 deep; what is deeper is not looked at.");
        tooDeepSaid_ = true;
        advance();
    }
}

void A2lStream::expected(const char* what) const {
    const std::string name(keyword());
    switch (token_.kind) {
        case Kind::Word:
        case Kind::String:
            throw BrokenBlock{token_.begin,
                              name + ": expected " + what + ", found \"" + nameForMessage(token_.text) + "\"."};
        case Kind::Begin:
            throw BrokenBlock{token_.begin,
                              name + ": expected " + what + ", found the block " + nameForMessage(token_.text) + "."};
        default:
            throw BrokenBlock{open_.empty() ? token_.begin : open_.back().begin,
                              name + " has fewer arguments than the standard asks for: " + what + " is missing."};
    }
}

A2lWord A2lStream::word(const char* what) {
    if (!argumentAhead()) expected(what);
    const A2lWord text = token_.text;
    advance();
    return text;
}

std::string A2lStream::string(const char* what) {
    if (!argumentAhead()) expected(what);
    std::string text = plainString(token_.text, source_.latin1);
    advance();
    return text;
}

double A2lStream::number(const char* what) {
    const auto value = token_.kind == Kind::Word ? quickNumber(token_.text) : std::nullopt;
    if (!value || !std::isfinite(*value)) expected(what);
    advance();
    return *value;
}

uint32_t A2lStream::whole(const char* what, double limit) {
    const size_t at = token_.begin;
    const double value = number(what);
    if (value < 0 || value > limit || value != std::floor(value))
        broken(at,
               std::string(keyword()) + ": " + what + " must be a whole number up to " + formatNumber(limit, 0) + ".");
    return static_cast<uint32_t>(value);
}

bool A2lStream::peekIsNumber() const {
    return token_.kind == Kind::Word && quickNumber(token_.text).has_value();
}

}  // namespace brusk::definition
