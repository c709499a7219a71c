// Head, signature, chunks. Nothing of the content is looked at before all of it was checked.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/deliver/Envelope.h"

#include <sodium.h>

#include <algorithm>
#include <optional>

#include "core/base/Say.h"
#include "core/base/Text.h"
#include "core/deliver/Lines.h"

namespace brusk::deliver {
namespace {

constexpr std::string_view kMagic = "BRUSKENV";
constexpr uint32_t kVersion = 1;
constexpr size_t kFixed = 16;  // magic, version, length of the head
constexpr size_t kMostHead = 1 << 20;
constexpr size_t kChunk = 64 << 10;
constexpr std::string_view kSignedAs = "Brusk envelope 1\n";
constexpr size_t kStreamHead = crypto_secretstream_xchacha20poly1305_HEADERBYTES;
constexpr size_t kOfChunk = crypto_secretstream_xchacha20poly1305_ABYTES;
constexpr size_t kMostPeople = 1000;

using ContentKey = std::array<uint8_t, crypto_secretstream_xchacha20poly1305_KEYBYTES>;
using Hash = std::array<uint8_t, crypto_generichash_BYTES>;

const char* titleOf(EnvelopeKind kind) {
    return kind == EnvelopeKind::Calibration ? "Brusk sealed calibration" : "Brusk parcel";
}
std::string nameOf(EnvelopeKind kind) {
    return kind == EnvelopeKind::Calibration ? "sealed calibration" : "parcel";
}

tl::unexpected<Error> altered(EnvelopeKind kind) {
    return refuse("altered",
                  say("envelope.altered",
                      "This {0} was changed on its way: it is not as its sender signed it. Nothing of it was "
                      "taken. Ask for it once more.",
                      {nameOf(kind)}));
}
tl::unexpected<Error> truncated(EnvelopeKind kind) {
    return refuse("truncated", say("envelope.truncated",
                                   "This {0} is not whole: its end lacks. Nothing of it was taken. Copy it once more.",
                                   {nameOf(kind)}));
}

Hash hashOf(ByteSpan bytes) {
    Hash out{};
    crypto_generichash(out.data(), out.size(), bytes.data(), bytes.size(), nullptr, 0);
    return out;
}

Bytes signedPart(ByteSpan head) {
    Bytes out(kSignedAs.begin(), kSignedAs.end());
    out.insert(out.end(), head.begin(), head.end());
    return out;
}

/// The head as it was read, and where the content lies.
struct Read {
    EnvelopeHead head;
    std::vector<Bytes> keys;  ///< the content's key, sealed to each of head.to
    Hash hash{};
    ByteSpan content;
};

Result<EnvelopeHead> peopleOf(const Lines& lines, EnvelopeKind kind, std::vector<Bytes>& keys) {
    EnvelopeHead out;
    out.kind = kind;
    const auto id = lines.one("id"), made = lines.one("made"), name = lines.one("by");
    const auto sign = lines.bytes("by-sign", 32), seal = lines.bytes("by-seal", 32),
               signature = lines.bytes("by-card", 64);
    if (!id || !made || !name || !sign || !seal || !signature) return altered(kind);
    out.id = *id;
    out.made = *made;
    out.by.name = *name;
    std::copy(sign->begin(), sign->end(), out.by.sign.begin());
    std::copy(seal->begin(), seal->end(), out.by.seal.begin());
    std::copy(signature->begin(), signature->end(), out.by.signature.begin());
    for (const std::string& line : lines.all("to")) {
        const size_t blank = line.find(' ');
        if (blank == std::string::npos || keys.size() == kMostPeople) return altered(kind);
        const auto who = fromBase64(std::string_view(line).substr(0, blank));
        auto key = fromBase64(std::string_view(line).substr(blank + 1));
        if (!who || who->size() != 32 || !key) return altered(kind);
        std::copy(who->begin(), who->end(), out.to.emplace_back().begin());
        keys.push_back(std::move(*key));
    }
    return out;
}

Result<Read> readHead(EnvelopeKind kind, ByteSpan file) {
    const ByteView view(file);
    const auto magic = view.slice(0, kMagic.size());
    if (!magic || asText(*magic) != kMagic) {
        // The beginning of one that was cut off, or something else altogether.
        if (asText(file) == kMagic.substr(0, file.size())) return truncated(kind);
        return refuse("altered", say("envelope.none", "This is no {0}, or its beginning was changed.", {nameOf(kind)}));
    }
    const auto version = view.u32(8), length = view.u32(12);
    if (!version || !length) return truncated(kind);
    if (*version != kVersion)
        return refuse("altered", say("envelope.version",
                                     "This {0} has the format {1}; this Brusk reads format 1. It was changed, or comes "
                                     "from a newer one.",
                                     {nameOf(kind), std::to_string(*version)}));
    if (*length > kMostHead) return altered(kind);
    const auto text = view.slice(kFixed, *length), signature = view.slice(kFixed + *length, crypto_sign_BYTES);
    if (!text || !signature) return truncated(kind);
    const std::string title = std::string(titleOf(kind)) + " 1";
    const auto lines = Lines::parse(asText(*text), title, nameOf(kind));
    if (!lines) {
        const auto other = kind == EnvelopeKind::Calibration ? EnvelopeKind::Parcel : EnvelopeKind::Calibration;
        if (Lines::parse(asText(*text), std::string(titleOf(other)) + " 1", ""))
            return fail(ErrorCode::BadInput,
                        say("envelope.other-kind", "This is a {0}, not a {1}.", {nameOf(other), nameOf(kind)}));
        return altered(kind);
    }
    Read out;
    auto head = peopleOf(*lines, kind, out.keys);
    if (!head) return tl::unexpected(head.error());
    const Bytes message = signedPart(file.first(kFixed + *length));
    if (!isSignedBy(head->by, message, *signature)) return altered(kind);
    // From here on it is what its sender wrote.
    if (!Card::fromText(head->by.text())) return altered(kind);
    const auto size = lines->number("content-size");
    const auto hash = lines->bytes("content-hash", out.hash.size());
    if (!size || !hash) return altered(kind);
    std::copy(hash->begin(), hash->end(), out.hash.begin());
    out.head = std::move(*head);
    out.content = file.subspan(kFixed + *length + crypto_sign_BYTES);
    if (out.content.size() < *size) return truncated(kind);
    if (out.content.size() > *size) return altered(kind);
    return out;
}

Bytes encrypted(ByteSpan content, const ContentKey& key, const std::string& id) {
    Bytes out(kStreamHead + content.size() + (content.size() / kChunk + 1) * kOfChunk);
    crypto_secretstream_xchacha20poly1305_state state;
    crypto_secretstream_xchacha20poly1305_init_push(&state, out.data(), key.data());
    size_t from = 0, to = kStreamHead;
    for (bool last = false; !last;) {
        const size_t count = std::min(kChunk, content.size() - from);
        last = from + count == content.size();
        unsigned long long written = 0;
        crypto_secretstream_xchacha20poly1305_push(
            &state, out.data() + to, &written, content.data() + from, count,
            reinterpret_cast<const uint8_t*>(id.data()), id.size(),
            last ? crypto_secretstream_xchacha20poly1305_TAG_FINAL : crypto_secretstream_xchacha20poly1305_TAG_MESSAGE);
        from += count;
        to += written;
    }
    out.resize(to);
    return out;
}

std::optional<Bytes> decrypted(ByteSpan content, const ContentKey& key, const std::string& id) {
    crypto_secretstream_xchacha20poly1305_state state;
    if (content.size() < kStreamHead + kOfChunk ||
        crypto_secretstream_xchacha20poly1305_init_pull(&state, content.data(), key.data()) != 0)
        return std::nullopt;
    Bytes out(content.size());
    size_t from = kStreamHead, to = 0;
    uint8_t tag = 0;
    while (from < content.size()) {
        const size_t count = std::min(kChunk + kOfChunk, content.size() - from);
        unsigned long long written = 0;
        if (count < kOfChunk || crypto_secretstream_xchacha20poly1305_pull(
                                    &state, out.data() + to, &written, &tag, content.data() + from, count,
                                    reinterpret_cast<const uint8_t*>(id.data()), id.size()) != 0)
            return std::nullopt;
        from += count;
        to += written;
        const bool final = tag == crypto_secretstream_xchacha20poly1305_TAG_FINAL;
        if (final != (from == content.size())) return std::nullopt;
    }
    out.resize(to);
    return out;
}

}  // namespace

Result<Bytes> closeEnvelope(EnvelopeKind kind, const Key& by, const std::vector<Card>& to, ByteSpan content,
                            const std::string& made) {
    ContentKey key{};
    crypto_secretstream_xchacha20poly1305_keygen(key.data());
    std::array<uint8_t, 16> drawn{};
    randombytes_buf(drawn.data(), drawn.size());
    const std::string id = hexBytes(drawn);
    const Bytes closed = encrypted(content, key, id);
    Lines lines(std::string(titleOf(kind)) + " 1");
    lines.add("id", id);
    lines.add("made", made);
    lines.add("by", by.card().name);
    lines.add("by-sign", base64(by.card().sign));
    lines.add("by-seal", base64(by.card().seal));
    lines.add("by-card", base64(by.card().signature));
    std::vector<Card> people{by.card()};
    for (const Card& card : to)
        if (std::none_of(people.begin(), people.end(), [&](const Card& one) { return one.seal == card.seal; }))
            people.push_back(card);
    if (people.size() > kMostPeople)
        return fail(ErrorCode::BadInput, say("envelope.too-many", "A file is sealed to at most 1,000 people."));
    for (const Card& card : people) {
        const auto forThem = sealedTo(card, key);
        if (!forThem)
            return fail(
                ErrorCode::BadInput,
                say("envelope.bad-card", "Nothing can be sealed to the card of {0}. Ask for another.", {card.name}));
        lines.add("to", base64(card.seal) + " " + base64(*forThem));
    }
    sodium_memzero(key.data(), key.size());
    lines.add("content-size", std::to_string(closed.size()));
    lines.add("content-hash", base64(hashOf(closed)));
    const std::string text = lines.text();
    Bytes out(kMagic.begin(), kMagic.end());
    out.resize(kFixed);
    storeUnsigned(out.data() + 8, 4, ByteOrder::LittleEndian, kVersion);
    storeUnsigned(out.data() + 12, 4, ByteOrder::LittleEndian, text.size());
    out.insert(out.end(), text.begin(), text.end());
    const auto signature = by.sign(signedPart(out));
    out.insert(out.end(), signature.begin(), signature.end());
    out.insert(out.end(), closed.begin(), closed.end());
    return out;
}

Result<EnvelopeHead> headOf(EnvelopeKind kind, ByteSpan file) {
    auto read = readHead(kind, file);
    if (!read) return tl::unexpected(read.error());
    return std::move(read->head);
}

Result<Opened> openEnvelope(EnvelopeKind kind, ByteSpan file, const Key& key, const Home& home) {
    auto read = readHead(kind, file);
    if (!read) return tl::unexpected(read.error());
    const Card& by = read->head.by;
    const auto trusted = home.trusts(by);
    if (!trusted) return tl::unexpected(trusted.error());
    if (!*trusted)
        return refuse("untrusted",
                      say("envelope.untrusted",
                          "It says it is from {0} ({1}), whose card is not trusted here. Compare the fingerprint by "
                          "telephone, trust the card, then open it again.",
                          {by.name, by.fingerprint()}));
    std::optional<Bytes> opened;
    for (size_t i = 0; i < read->keys.size() && !opened; ++i)
        if (read->head.to[i] == key.card().seal) opened = key.unseal(read->keys[i]);
    if (!opened)
        return refuse("wrong-recipient", say("envelope.wrong-recipient",
                                             "It is not sealed to {0}. Send {1} your card and ask for one that is.",
                                             {key.card().name, by.name}));
    ContentKey contentKey{};
    if (opened->size() != contentKey.size() || hashOf(read->content) != read->hash) return altered(kind);
    std::copy(opened->begin(), opened->end(), contentKey.begin());
    sodium_memzero(opened->data(), opened->size());
    auto content = decrypted(read->content, contentKey, read->head.id);
    sodium_memzero(contentKey.data(), contentKey.size());
    if (!content) return altered(kind);
    return Opened{std::move(read->head), std::move(*content)};
}

}  // namespace brusk::deliver
