// Who somebody is: a key that stays at home, and a calling card that is handed out.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <array>
#include <memory>
#include <optional>
#include <string>

#include "core/base/Bytes.h"
#include "core/base/Result.h"

namespace brusk::deliver {

using PublicKey = std::array<uint8_t, 32>;

/// Somebody's name and public keys: Ed25519 for what they sign, X25519 for what is sealed to them. It is signed by
/// itself, so that name and keys belong together.
struct Card {
    std::string name;
    PublicKey sign{};
    PublicKey seal{};
    std::array<uint8_t, 64> signature{};

    /// A short text, as it is mailed and as its QR code says it.
    std::string text() const;
    /// BadInput when it is no card; Refused ("altered") when it is not as its owner signed it.
    [[nodiscard]] static Result<Card> fromText(std::string_view text);
    /// Eight groups of five digits of a BLAKE2b hash of both keys, to be read over the phone.
    std::string fingerprint() const;
    /// The same person: the same keys, under whatever name.
    bool sameKeys(const Card& other) const { return sign == other.sign && seal == other.seal; }
};

/// The secret half, in memory that is locked and wiped.
class Key {
  public:
    /// A new one. The name is what others see on the card; it can't be empty.
    [[nodiscard]] static Result<Key> make(const std::string& name);
    /// From the text of a key file. `passphrase` may be empty; Refused when it is not the right one, or one is needed.
    [[nodiscard]] static Result<Key> fromText(std::string_view text, std::string_view passphrase);
    /// Whether a key file asks for a passphrase, and the card in it, without opening it.
    [[nodiscard]] static Result<bool> isLocked(std::string_view text);
    [[nodiscard]] static Result<Card> cardIn(std::string_view text);

    /// The text of a key file; with a passphrase the secret is encrypted under it (Argon2id, XSalsa20-Poly1305).
    [[nodiscard]] Result<std::string> text(std::string_view passphrase) const;
    const Card& card() const { return card_; }
    std::array<uint8_t, 64> sign(ByteSpan message) const;
    /// What crypto_box_seal() sealed to this key's card; nothing when it was not for it or was changed.
    std::optional<Bytes> unseal(ByteSpan sealed) const;

  private:
    struct Secret;
    Key() = default;

    Card card_;
    std::shared_ptr<Secret> secret_;
};

/// Whether `signature` is the card's over the message.
bool isSignedBy(const Card& card, ByteSpan message, ByteSpan signature);
/// Bytes that only the card's owner can open; nothing when its key is one that nothing can be sealed to.
std::optional<Bytes> sealedTo(const Card& card, ByteSpan bytes);

}  // namespace brusk::deliver
