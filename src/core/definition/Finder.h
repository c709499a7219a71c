// Finds parameters among a hundred thousand while somebody types: any part of a name, description, unit, group or
// address, several words, with typing errors, best first.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <memory>
#include <string>
#include <string_view>
#include <vector>

#include "core/definition/Definition.h"

namespace brusk::definition {

/// Built once for a definition. Not for use by several threads at a time: it keeps what the last words matched.
class Finder {
  public:
    explicit Finder(std::shared_ptr<const Definition> definition);

    struct Hit {
        uint32_t parameter = 0;  ///< index into Definition::parameters
        uint32_t score = 0;
    };
    struct Found {
        std::vector<Hit> hits;  ///< best first, at most as many as asked for
        size_t total = 0;
        bool guessed = false;  ///< nothing was found as typed: words a few letters away were taken
    };
    /// Every word must be found somewhere in a parameter. An empty text finds nothing.
    Found find(std::string_view text, size_t most) const;

  private:
    struct Posting {
        uint32_t parameter;
        uint8_t weight;  ///< of the field the token stands in
    };
    struct Match {
        uint32_t token;
        uint8_t quality;
    };
    struct Matched {
        std::string word;
        bool guessed = false;
        std::vector<Match> matches;
    };
    class Builder;

    const Matched& matchesOf(const std::string& word, bool guess) const;
    void matchParts(Matched& matched) const;
    void matchGuesses(Matched& matched) const;
    std::string_view token(uint32_t i) const {
        return std::string_view(tokens_).substr(starts_[i], starts_[i + 1] - starts_[i] - 1);
    }
    void preferPhrases(const std::vector<std::string>& words, std::vector<Hit>& hits) const;
    Found search(const std::vector<std::string>& words, size_t most, bool guess) const;

    std::shared_ptr<const Definition> definition_;
    std::string tokens_;            // lower case, each followed by a zero byte
    std::vector<uint32_t> starts_;  // of each token, and the end
    std::vector<uint32_t> firstPosting_;
    std::vector<Posting> postings_;  // by token
    mutable std::vector<Matched> kept_;
};

/// Least number of letters to change, add or leave out so that a word (its first 64 letters) becomes a beginning of a
/// text. (Myers, A fast bit-vector algorithm, 1999.)
class PrefixDistance {
  public:
    explicit PrefixDistance(std::string_view word);
    int to(std::string_view text) const;

  private:
    size_t size_;
    uint64_t occurs_[256] = {};  // by letter: the places of the word where it stands
};

}  // namespace brusk::definition
