// Text of a title and "name: value" lines: the form of cards, keys and what an envelope says of itself.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "core/base/Bytes.h"
#include "core/base/Result.h"

namespace brusk::deliver {

/// 1. What is written is read back the same: a value may be any text; line feeds and backslashes are escaped.
/// 2. A text that went through the post is still read: blanks at a line's end, empty lines and CR LF mean nothing.
class Lines {
  public:
    explicit Lines(std::string title) : title_(std::move(title)) {}
    /// `title` is the first line as it must be; `what` names the thing in the sentence when it is not ("card").
    [[nodiscard]] static Result<Lines> parse(std::string_view text, std::string_view title, const std::string& what);

    void add(std::string name, std::string value) { lines_.emplace_back(std::move(name), std::move(value)); }
    std::string text() const;

    /// The value of a name that must stand exactly once; BadInput else.
    [[nodiscard]] Result<std::string> one(std::string_view name) const;
    /// The same as bytes of a given count, from base64.
    [[nodiscard]] Result<Bytes> bytes(std::string_view name, size_t count) const;
    [[nodiscard]] Result<uint64_t> number(std::string_view name) const;
    /// "yes" or "no".
    [[nodiscard]] Result<bool> yes(std::string_view name) const;
    std::optional<std::string> maybe(std::string_view name) const;
    std::vector<std::string> all(std::string_view name) const;
    const std::vector<std::pair<std::string, std::string>>& pairs() const { return lines_; }

  private:
    std::string title_;
    std::vector<std::pair<std::string, std::string>> lines_;
    std::string what_;
};

/// RFC 4648 with padding.
std::string base64(ByteSpan bytes);
std::optional<Bytes> fromBase64(std::string_view text);

}  // namespace brusk::deliver
