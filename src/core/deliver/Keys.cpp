// Ed25519 and X25519 by libsodium; a key file is text like a card.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/deliver/Keys.h"

#include <sodium.h>

#include <algorithm>
#include <cstring>

#include "core/base/Say.h"
#include "core/base/Text.h"
#include "core/deliver/Lines.h"

namespace brusk::deliver {

struct Key::Secret {
    uint8_t sign[crypto_sign_SECRETKEYBYTES];
    uint8_t seal[crypto_box_SECRETKEYBYTES];
};

namespace {

constexpr const char* kCardTitle = "Brusk card 1";
constexpr const char* kKeyTitle = "Brusk key 1";
constexpr size_t kSecretBytes = crypto_sign_SECRETKEYBYTES + crypto_box_SECRETKEYBYTES;
constexpr size_t kMostName = 80;
// What opening a key may cost, whatever its file asks for.
constexpr uint64_t kMostTurns = 16;
constexpr uint64_t kMostMemory_bytes = uint64_t{1} << 30;

/// libsodium must be told once before anything else of it is used.
bool ready() {
    static const bool done = sodium_init() >= 0;
    return done;
}

template <size_t N>
std::array<uint8_t, N> arrayOf(const Bytes& bytes) {
    std::array<uint8_t, N> out{};
    std::copy_n(bytes.begin(), std::min(N, bytes.size()), out.begin());
    return out;
}

Lines linesOf(const Card& card, const char* title) {
    Lines out(title);
    out.add("name", card.name);
    out.add("sign", base64(card.sign));
    out.add("seal", base64(card.seal));
    return out;
}

Result<Card> cardOf(const Lines& lines) {
    Card out;
    const auto name = lines.one("name");
    const auto sign = lines.bytes("sign", out.sign.size()), seal = lines.bytes("seal", out.seal.size()),
               signature = lines.bytes("signature", out.signature.size());
    for (const auto* part : {&sign, &seal, &signature})
        if (!*part) return tl::unexpected(part->error());
    if (!name) return tl::unexpected(name.error());
    out.name = *name;
    out.sign = arrayOf<32>(*sign);
    out.seal = arrayOf<32>(*seal);
    out.signature = arrayOf<64>(*signature);
    if (!isSignedBy(out, asBytes(linesOf(out, kCardTitle).text()), out.signature))
        return refuse("altered", say("card.altered", "This card was changed after {0} made it. Ask for it once more.",
                                     {out.name}));
    return out;
}

Result<Lines> keyLines(std::string_view text) {
    return Lines::parse(text, kKeyTitle, "key file");
}

tl::unexpected<Error> damagedKey() {
    return fail(ErrorCode::BadInput,
                say("key.damaged", "The key file is damaged. Put its backup in its place, or make a new key."));
}

/// The key that a passphrase makes, by the cost that the file names.
struct Lock {
    uint64_t turns = crypto_pwhash_OPSLIMIT_MODERATE;
    uint64_t memory_bytes = crypto_pwhash_MEMLIMIT_MODERATE;
    Bytes salt = Bytes(crypto_pwhash_SALTBYTES);

    std::optional<std::array<uint8_t, crypto_secretbox_KEYBYTES>> keyFor(std::string_view passphrase) const {
        std::array<uint8_t, crypto_secretbox_KEYBYTES> out{};
        if (crypto_pwhash(out.data(), out.size(), passphrase.data(), passphrase.size(), salt.data(), turns,
                          memory_bytes, crypto_pwhash_ALG_ARGON2ID13) != 0)
            return std::nullopt;
        return out;
    }
};

}  // namespace

// --- card

std::string Card::text() const {
    Lines out = linesOf(*this, kCardTitle);
    out.add("signature", base64(signature));
    return out.text();
}

Result<Card> Card::fromText(std::string_view text) {
    const auto lines = Lines::parse(text, kCardTitle, "calling card");
    return lines ? cardOf(*lines) : tl::unexpected(lines.error());
}

std::string Card::fingerprint() const {
    constexpr int kGroups = 8, kBytesOfGroup = 5;
    std::array<uint8_t, kGroups * kBytesOfGroup> hash{};
    std::array<uint8_t, 64> keys{};
    std::copy(sign.begin(), sign.end(), keys.begin());
    std::copy(seal.begin(), seal.end(), keys.begin() + 32);
    crypto_generichash(hash.data(), hash.size(), keys.data(), keys.size(), nullptr, 0);
    std::string out;
    for (int group = 0; group < kGroups; ++group) {
        const uint64_t n = loadUnsigned(hash.data() + group * kBytesOfGroup, kBytesOfGroup, ByteOrder::BigEndian);
        std::string digits = std::to_string(n % 100000);
        digits.insert(0, 5 - digits.size(), '0');
        out += (group ? " " : "") + digits;
    }
    return out;
}

bool isSignedBy(const Card& card, ByteSpan message, ByteSpan signature) {
    return ready() && signature.size() == crypto_sign_BYTES &&
           crypto_sign_verify_detached(signature.data(), message.data(), message.size(), card.sign.data()) == 0;
}

std::optional<Bytes> sealedTo(const Card& card, ByteSpan bytes) {
    Bytes out(bytes.size() + crypto_box_SEALBYTES);
    // It fails on keys of low order: points that keep no secret.
    if (!ready() || crypto_box_seal(out.data(), bytes.data(), bytes.size(), card.seal.data()) != 0) return std::nullopt;
    return out;
}

// --- key

Result<Key> Key::make(const std::string& name) {
    const std::string shown = std::string(trimmed(validText(name)));
    if (shown.empty() || shown.size() > kMostName || shown.find('\n') != std::string::npos)
        return fail(ErrorCode::BadInput, say("key.name", "A key needs a name of at most 80 letters, on one line."));
    if (!ready()) return fail(ErrorCode::Broken, say("key.no-random", "This machine gives no random numbers."));
    Key out;
    out.secret_ = {static_cast<Secret*>(sodium_malloc(sizeof(Secret))), sodium_free};
    if (!out.secret_) return fail(ErrorCode::Io, say("key.no-memory", "There is no memory to keep the key in."));
    out.card_.name = shown;
    crypto_sign_keypair(out.card_.sign.data(), out.secret_->sign);
    crypto_box_keypair(out.card_.seal.data(), out.secret_->seal);
    out.card_.signature = out.sign(asBytes(linesOf(out.card_, kCardTitle).text()));
    return out;
}

Result<Card> Key::cardIn(std::string_view text) {
    const auto lines = keyLines(text);
    return lines ? cardOf(*lines) : tl::unexpected(lines.error());
}

Result<bool> Key::isLocked(std::string_view text) {
    const auto lines = keyLines(text);
    if (!lines) return tl::unexpected(lines.error());
    return lines->maybe("locked").has_value();
}

Result<std::string> Key::text(std::string_view passphrase) const {
    Lines out = linesOf(card_, kKeyTitle);
    out.add("signature", base64(card_.signature));
    Bytes plain(kSecretBytes);
    std::memcpy(plain.data(), secret_->sign, sizeof secret_->sign);
    std::memcpy(plain.data() + sizeof secret_->sign, secret_->seal, sizeof secret_->seal);
    if (passphrase.empty()) {
        out.add("secret", base64(plain));
    } else {
        Lock lock;
        randombytes_buf(lock.salt.data(), lock.salt.size());
        Bytes nonce(crypto_secretbox_NONCEBYTES), hidden(plain.size() + crypto_secretbox_MACBYTES);
        randombytes_buf(nonce.data(), nonce.size());
        auto key = lock.keyFor(passphrase);
        if (!key) return fail(ErrorCode::Io, say("key.no-room", "There is not enough memory to protect the key."));
        crypto_secretbox_easy(hidden.data(), plain.data(), plain.size(), nonce.data(), key->data());
        sodium_memzero(key->data(), key->size());
        out.add("locked", "argon2id");
        out.add("turns", std::to_string(lock.turns));
        out.add("memory", std::to_string(lock.memory_bytes));
        out.add("salt", base64(lock.salt));
        out.add("nonce", base64(nonce));
        out.add("hidden", base64(hidden));
    }
    sodium_memzero(plain.data(), plain.size());
    return out.text();
}

Result<Key> Key::fromText(std::string_view text, std::string_view passphrase) {
    if (!ready()) return fail(ErrorCode::Broken, say("key.not-ready", "This machine gives no random numbers."));
    const auto lines = keyLines(text);
    if (!lines) return tl::unexpected(lines.error());
    const auto card = cardOf(*lines);
    if (!card) return tl::unexpected(card.error());
    Bytes plain;
    if (const auto locked = lines->maybe("locked")) {
        Lock lock;
        const auto turns = lines->number("turns"), memory = lines->number("memory");
        const auto salt = lines->bytes("salt", crypto_pwhash_SALTBYTES),
                   nonce = lines->bytes("nonce", crypto_secretbox_NONCEBYTES),
                   hidden = lines->bytes("hidden", kSecretBytes + crypto_secretbox_MACBYTES);
        if (*locked != "argon2id" || !turns || !memory || *turns > kMostTurns || *memory > kMostMemory_bytes || !salt ||
            !nonce || !hidden)
            return damagedKey();
        lock.turns = *turns;
        lock.memory_bytes = *memory;
        lock.salt = *salt;
        if (passphrase.empty())
            return fail(ErrorCode::Refused,
                        say("key.needs-passphrase", "The key of {0} asks for its passphrase.", {card->name}));
        auto key = lock.keyFor(passphrase);
        if (!key) return fail(ErrorCode::Io, say("key.no-room-to-open", "There is not enough memory to open the key."));
        plain.resize(kSecretBytes);
        const bool opened =
            crypto_secretbox_open_easy(plain.data(), hidden->data(), hidden->size(), nonce->data(), key->data()) == 0;
        sodium_memzero(key->data(), key->size());
        if (!opened)
            return fail(ErrorCode::Refused,
                        say("key.wrong-passphrase", "This is not the passphrase of {0}'s key.", {card->name}));
    } else {
        auto bytes = lines->bytes("secret", kSecretBytes);
        if (!bytes) return damagedKey();
        plain = std::move(*bytes);
    }
    Key out;
    out.card_ = *card;
    out.secret_ = {static_cast<Secret*>(sodium_malloc(sizeof(Secret))), sodium_free};
    if (!out.secret_) return fail(ErrorCode::Io, say("key.no-locked-memory", "There is no memory to keep the key in."));
    std::memcpy(out.secret_->sign, plain.data(), sizeof out.secret_->sign);
    std::memcpy(out.secret_->seal, plain.data() + sizeof out.secret_->sign, sizeof out.secret_->seal);
    sodium_memzero(plain.data(), plain.size());
    // The secret must be the card's: a file put together from two would sign what nobody can check.
    PublicKey sign{}, seal{};
    crypto_sign_ed25519_sk_to_pk(sign.data(), out.secret_->sign);
    crypto_scalarmult_base(seal.data(), out.secret_->seal);
    if (sign != out.card_.sign || seal != out.card_.seal) return damagedKey();
    return out;
}

std::array<uint8_t, 64> Key::sign(ByteSpan message) const {
    std::array<uint8_t, 64> out{};
    crypto_sign_detached(out.data(), nullptr, message.data(), message.size(), secret_->sign);
    return out;
}

std::optional<Bytes> Key::unseal(ByteSpan sealed) const {
    if (sealed.size() < crypto_box_SEALBYTES) return std::nullopt;
    Bytes out(sealed.size() - crypto_box_SEALBYTES);
    if (crypto_box_seal_open(out.data(), sealed.data(), sealed.size(), card_.seal.data(), secret_->seal) != 0)
        return std::nullopt;
    return out;
}

}  // namespace brusk::deliver
