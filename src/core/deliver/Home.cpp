// One file for the key, one for each trusted card.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/deliver/Home.h"

#include <algorithm>
#include <cstdlib>

#include "core/base/Say.h"
#include "core/base/Text.h"

namespace brusk::deliver {
namespace {

constexpr uint64_t kMostText = 64 << 10;
constexpr const char* kEnding = ".card";

std::string digitsOf(const std::string& text) {
    std::string out;
    for (const char c : text)
        if (c >= '0' && c <= '9') out += c;
    return out;
}

}  // namespace

storage::Path usualHome() {
    const auto set = [](const char* name) {
        const char* value = std::getenv(name);
        return storage::Path(value ? value : "");
    };
    const storage::Path data = set("XDG_DATA_HOME");
    return (data.empty() ? set("HOME") / ".local" / "share" : data) / "brusk";
}

Result<std::optional<Card>> Home::card() const {
    if (!files_.exists(keyFile())) return std::optional<Card>();
    const auto text = files_.read(keyFile(), kMostText);
    if (!text) return tl::unexpected(text.error());
    auto card = Key::cardIn(asText(*text));
    if (!card) return tl::unexpected(card.error().in(keyFile().string()));
    return std::optional<Card>(std::move(*card));
}

Result<bool> Home::isLocked() const {
    const auto text = files_.read(keyFile(), kMostText);
    if (!text) return tl::unexpected(text.error());
    return Key::isLocked(asText(*text));
}

Result<Key> Home::makeKey(const std::string& name, std::string_view passphrase) const {
    if (files_.exists(keyFile()))
        return fail(ErrorCode::Conflict, say("home.has-key", "There is a key already in {0}; it is never written over.",
                                             {keyFile().string()}));
    auto key = Key::make(name);
    if (!key) return key;
    const auto text = key->text(passphrase);
    if (!text) return tl::unexpected(text.error());
    if (auto done = files_.makeFolder(folder_); !done) return tl::unexpected(done.error());
    if (auto done = files_.saveSecret(keyFile(), asBytes(*text)); !done) return tl::unexpected(done.error());
    return key;
}

Result<Key> Home::key(std::string_view passphrase) const {
    if (!files_.exists(keyFile()))
        return fail(ErrorCode::NotFound,
                    say("home.no-key", "No key was made here yet; sealing and opening need one. Make it first."));
    const auto text = files_.read(keyFile(), kMostText);
    if (!text) return tl::unexpected(text.error());
    return Key::fromText(asText(*text), passphrase);
}

Done Home::backup(const storage::Path& to) const {
    if (files_.exists(to))
        return fail(ErrorCode::Conflict,
                    say("home.backup-stands", "{0} is there already; nothing was written.", {to.string()}));
    const auto text = files_.read(keyFile(), kMostText);
    if (!text) return tl::unexpected(text.error());
    return files_.saveSecret(to, *text);
}

storage::Path Home::cardFile(const Card& card) const {
    return folder_ / "cards" / (digitsOf(card.fingerprint()) + kEnding);
}

Result<std::vector<Card>> Home::trusted() const {
    std::vector<Card> out;
    const auto entries = files_.list(folder_ / "cards");
    if (!entries)
        return entries.error().code == ErrorCode::NotFound ? Result<std::vector<Card>>(out)
                                                           : tl::unexpected(entries.error());
    for (const auto& entry : *entries) {
        if (entry.isFolder || entry.path.extension() != kEnding) continue;
        const auto text = files_.read(entry.path, kMostText);
        // A card that can't be read is a card that is not trusted; whoever needs it is told so.
        if (const auto card = text ? Card::fromText(asText(*text)) : Result<Card>(tl::unexpected(text.error())))
            if (cardFile(*card) == entry.path) out.push_back(*card);
    }
    std::stable_sort(out.begin(), out.end(), [](const Card& a, const Card& b) { return a.name < b.name; });
    return out;
}

Result<bool> Home::trusts(const Card& card) const {
    if (const auto own = this->card(); own && *own && (*own)->sameKeys(card)) return true;
    const auto all = trusted();
    if (!all) return tl::unexpected(all.error());
    return std::any_of(all->begin(), all->end(), [&](const Card& one) { return one.sameKeys(card); });
}

Result<Trusted> Home::trust(const Card& card, bool instead) const {
    const auto all = trusted();
    if (!all) return tl::unexpected(all.error());
    const Card* before = nullptr;
    for (const Card& one : *all) {
        if (one.sameKeys(card)) return Trusted::Already;
        if (one.name == card.name) before = &one;
    }
    if (before && !instead)
        return refuse("untrusted",
                      say("home.card-changed",
                          "{0} is known here with another key ({1}); this card has {2}. Ask {0} by telephone whether "
                          "there is a new key before you take it.",
                          {card.name, before->fingerprint(), card.fingerprint()}));
    if (auto done = files_.makeFolder(folder_ / "cards"); !done) return tl::unexpected(done.error());
    if (auto done = files_.save(cardFile(card), asBytes(card.text())); !done) return tl::unexpected(done.error());
    if (!before) return Trusted::New;
    if (auto done = files_.remove(cardFile(*before)); !done) return tl::unexpected(done.error());
    return Trusted::Changed;
}

Result<Card> Home::named(const std::string& text) const {
    auto all = trusted();
    if (!all) return tl::unexpected(all.error());
    if (const auto own = card(); own && *own) all->push_back(**own);
    const std::string digits = digitsOf(text);
    const Card* found = nullptr;
    for (const Card& one : *all) {
        const bool fits = one.name == text || (digits.size() >= 10 && digitsOf(one.fingerprint()).starts_with(digits));
        if (!fits) continue;
        if (found && !found->sameKeys(one))
            return fail(ErrorCode::BadInput,
                        say("home.two-cards", "Two cards go by \"{0}\". Say the fingerprint.", {text}));
        found = &one;
    }
    if (found) return *found;
    return refuse("untrusted", say("home.no-card", "No trusted card goes by \"{0}\". Trust the card first.", {text}));
}

}  // namespace brusk::deliver
