// Words are scored by where they stand: name, label, description, group.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/definition/Finder.h"

#include <cstring>
#include <unordered_map>

#include "core/base/Text.h"

namespace brusk::definition {
namespace {

// How much a match counts, by the field it is in and by how it matched.
enum : uint8_t {
    kInName = 8,
    kInLabel = 7,
    kInRole = 5,
    kInDescription = 4,
    kInGroup = 2,
    kInUnit = 2,
    kInAddress = 3
};
enum : uint8_t { kWhole = 20, kBeginning = 12, kInside = 6, kGuess = 3 };
constexpr size_t kKeptWords = 12;
constexpr size_t kMostWords = 8;

bool isWordByte(char c) {
    const auto u = static_cast<uint8_t>(c);
    return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') || u >= 0x80;
}

bool isCapital(char c) {
    return c >= 'A' && c <= 'Z';
}

}  // namespace

PrefixDistance::PrefixDistance(std::string_view word) : size_(std::min<size_t>(word.size(), 64)) {
    for (size_t i = 0; i < size_; ++i)
        occurs_[static_cast<uint8_t>(word[i])] |= uint64_t{1} << i;
}

int PrefixDistance::to(std::string_view text) const {
    if (size_ == 0) return 0;
    uint64_t plus = ~uint64_t{0}, minus = 0;
    int distance = static_cast<int>(size_), least = distance;
    const uint64_t last = uint64_t{1} << (size_ - 1);
    for (const char c : text.substr(0, size_ + 4)) {
        const uint64_t match = occurs_[static_cast<uint8_t>(c)];
        const uint64_t x = match | minus;
        const uint64_t across = (((match & plus) + plus) ^ plus) | match;
        const uint64_t horizontalPlus = minus | ~(across | plus);
        const uint64_t horizontalMinus = plus & across;
        distance += (horizontalPlus & last) != 0;
        distance -= (horizontalMinus & last) != 0;
        const uint64_t shifted = horizontalPlus << 1 | 1;
        plus = (horizontalMinus << 1) | ~(x | shifted);
        minus = shifted & x;
        least = std::min(least, distance);
    }
    return least;
}

/// Collects tokens and where they stand, then lays the postings out by token.
class Finder::Builder {
  public:
    explicit Builder(Finder& out) : out_(out) {}

    void run() {
        const Definition& d = *out_.definition_;
        std::unordered_map<const Group*, std::vector<uint32_t>> tokensOfGroup;
        std::unordered_map<std::string_view, std::vector<uint32_t>> tokensOfUnit;
        ids_.reserve(d.parameters.size() * 2);
        entries_.reserve(d.parameters.size() * 20);
        for (uint32_t i = 0; i < d.parameters.size(); ++i) {
            const Parameter& p = d.parameters[i];
            parameter_ = i;
            words(p.name, kInName, true);
            if (!p.label.empty()) words(p.label, kInLabel, true);
            words(p.description, kInDescription, false);
            if (!p.role.empty()) words(p.role, kInRole, true);
            char address[16];
            std::snprintf(address, sizeof address, "%x", p.address);
            add(address, kInAddress);
            again(tokensOfUnit, std::string_view(d.unitOf(p)), kInUnit, [&] { return d.unitOf(p); });
            if (const Group* group = d.groupOf(p))
                again(tokensOfGroup, group, kInGroup, [&] { return group->name + " " + d.groupPath(*group); });
        }
        layOut();
    }

  private:
    struct Entry {
        uint32_t token;
        Posting posting;
    };

    uint32_t idOf(std::string_view text) {
        lower_.assign(text);
        for (char& c : lower_)
            if (isCapital(c)) c = static_cast<char>(c - 'A' + 'a');
        const auto [at, isNew] = ids_.emplace(lower_, static_cast<uint32_t>(out_.starts_.size()));
        if (isNew) {
            out_.starts_.push_back(static_cast<uint32_t>(out_.tokens_.size()));
            out_.tokens_ += lower_;
            out_.tokens_ += '\0';
        }
        return at->second;
    }

    void add(std::string_view text, uint8_t weight) {
        if (text.empty() || text.find('\0') != std::string_view::npos) return;
        const uint32_t token = idOf(text);
        entries_.push_back({token, {parameter_, weight}});
        if (collected_) collected_->push_back(token);
    }

    /// The words of a text; of a name also the whole, and the parts that capitals begin.
    void words(std::string_view text, uint8_t weight, bool name) {
        if (name) add(text, weight);
        for (size_t i = 0; i < text.size();) {
            while (i < text.size() && !isWordByte(text[i]))
                ++i;
            const size_t start = i;
            while (i < text.size() && isWordByte(text[i])) {
                if (name && i > start && isCapital(text[i]) && !isCapital(text[i - 1])) break;
                ++i;
            }
            if (i > start && i - start < text.size()) add(text.substr(start, i - start), weight);
            if (i > start && i - start == text.size() && !name) add(text, weight);
        }
    }

    /// Words that many parameters share are split once.
    template <class Map, class Key, class Text>
    void again(Map& known, Key key, uint8_t weight, Text text) {
        const auto found = known.find(key);
        if (found != known.end()) {
            for (const uint32_t token : found->second)
                entries_.push_back({token, {parameter_, weight}});
            return;
        }
        collected_ = &known[key];
        words(text(), weight, true);
        collected_ = nullptr;
    }

    void layOut() {
        out_.starts_.push_back(static_cast<uint32_t>(out_.tokens_.size()));
        const size_t tokens = out_.starts_.size() - 1;
        out_.firstPosting_.assign(tokens + 1, 0);
        for (const Entry& e : entries_)
            ++out_.firstPosting_[e.token + 1];
        for (size_t t = 0; t < tokens; ++t)
            out_.firstPosting_[t + 1] += out_.firstPosting_[t];
        out_.postings_.resize(entries_.size());
        std::vector<uint32_t> next(out_.firstPosting_.begin(), out_.firstPosting_.end() - 1);
        for (const Entry& e : entries_)
            out_.postings_[next[e.token]++] = e.posting;
    }

    Finder& out_;
    std::unordered_map<std::string, uint32_t> ids_;
    std::vector<Entry> entries_;
    std::vector<uint32_t>* collected_ = nullptr;
    uint32_t parameter_ = 0;
    std::string lower_;
};

Finder::Finder(std::shared_ptr<const Definition> definition) : definition_(std::move(definition)) {
    Builder(*this).run();
}

void Finder::matchParts(Matched& matched) const {
    const std::string_view word = matched.word;
    uint32_t t = 0;
    const char* const begin = tokens_.data();
    const char* const end = begin + tokens_.size();
    for (const char* at = begin; at < end;) {
        const auto* found =
            static_cast<const char*>(memmem(at, static_cast<size_t>(end - at), word.data(), word.size()));
        if (!found) break;
        const auto offset = static_cast<uint32_t>(found - begin);
        while (starts_[t + 1] <= offset)
            ++t;
        const bool first = starts_[t] == offset;
        const bool whole = first && starts_[t + 1] - starts_[t] - 1 == word.size();
        matched.matches.push_back({t, whole ? kWhole : first ? kBeginning : kInside});
        at = begin + starts_[t + 1];
    }
}

void Finder::matchGuesses(Matched& matched) const {
    const std::string_view word = matched.word;
    if (word.size() < 4 || word.size() > 40) return;
    const int most = word.size() < 6 ? 1 : 2;
    const PrefixDistance distance(word);
    for (uint32_t t = 0; t + 1 < starts_.size(); ++t) {
        const std::string_view text = token(t);
        // Long tokens are whole names; their parts stand for themselves.
        if (text.size() + 2 < word.size() || text.size() > 24) continue;
        if (distance.to(text) <= most) matched.matches.push_back({t, kGuess});
    }
}

const Finder::Matched& Finder::matchesOf(const std::string& word, bool guess) const {
    for (const Matched& known : kept_)
        if (known.word == word && known.guessed == guess) return known;
    if (kept_.size() >= kKeptWords) kept_.erase(kept_.begin());
    Matched matched{word, guess, {}};
    matchParts(matched);
    if (guess && matched.matches.empty()) matchGuesses(matched);
    kept_.push_back(std::move(matched));
    return kept_.back();
}

Finder::Found Finder::search(const std::vector<std::string>& words, size_t most, bool guess) const {
    const size_t count = definition_->parameters.size();
    std::vector<uint16_t> score(count, 0), best(count, 0);
    for (size_t w = 0; w < words.size(); ++w) {
        std::fill(best.begin(), best.end(), uint16_t{0});
        for (const Match& match : matchesOf(words[w], guess).matches)
            for (uint32_t k = firstPosting_[match.token]; k < firstPosting_[match.token + 1]; ++k) {
                const auto worth = static_cast<uint16_t>(match.quality * postings_[k].weight);
                best[postings_[k].parameter] = std::max(best[postings_[k].parameter], worth);
            }
        for (size_t i = 0; i < count; ++i)
            score[i] =
                best[i] == 0 || (w > 0 && score[i] == 0) ? uint16_t{0} : static_cast<uint16_t>(score[i] + best[i]);
    }
    Found out;
    for (uint32_t i = 0; i < count; ++i)
        if (score[i]) out.hits.push_back({i, score[i]});
    out.total = out.hits.size();
    preferPhrases(words, out.hits);
    const auto better = [&](const Hit& a, const Hit& b) {
        if (a.score != b.score) return a.score > b.score;
        const size_t left = definition_->parameters[a.parameter].title().size();
        const size_t right = definition_->parameters[b.parameter].title().size();
        return left != right ? left < right : a.parameter < b.parameter;
    };
    most = std::min(most, out.hits.size());
    std::partial_sort(out.hits.begin(), out.hits.begin() + static_cast<long>(most), out.hits.end(), better);
    out.hits.resize(most);
    return out;
}

/// Words that stand together as they were typed mean more than the same words apart.
void Finder::preferPhrases(const std::vector<std::string>& words, std::vector<Hit>& hits) const {
    constexpr size_t kMostLooked = 5000;
    constexpr uint32_t kPhrase = 200;
    if (words.size() < 2) return;
    std::string phrase;
    for (const std::string& word : words)
        phrase += (phrase.empty() ? "" : " ") + word;
    for (size_t i = 0; i < std::min(hits.size(), kMostLooked); ++i) {
        const Parameter& p = definition_->parameters[hits[i].parameter];
        if (toLower(p.title()).find(phrase) != std::string::npos)
            hits[i].score += 2 * kPhrase;
        else if (toLower(p.description).find(phrase) != std::string::npos)
            hits[i].score += kPhrase;
    }
}

Finder::Found Finder::find(std::string_view text, size_t most) const {
    std::vector<std::string> words;
    for (size_t i = 0; i < text.size() && words.size() < kMostWords;) {
        while (i < text.size() && (text[i] == ' ' || text[i] == '\t' || text[i] == '\0'))
            ++i;
        size_t end = i;
        while (end < text.size() && text[end] != ' ' && text[end] != '\t' && text[end] != '\0')
            ++end;
        std::string word = toLower(text.substr(i, end - i));
        if (word.starts_with("0x")) word.erase(0, 2);
        while (word.size() > 1 && word[0] == '0' && text.substr(i, 2) == "0x")
            word.erase(0, 1);
        if (!word.empty()) words.push_back(std::move(word));
        i = end;
    }
    if (words.empty()) return {};
    Found found = search(words, most, false);
    if (found.total > 0) return found;
    found = search(words, most, true);
    found.guessed = found.total > 0;
    return found;
}

}  // namespace brusk::definition
