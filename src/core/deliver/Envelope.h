// What goes to somebody far away: signed, sealed to each who may open it, and cut into chunks that are checked in
// order. docs/sealed.md has the format byte by byte.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <string>
#include <vector>

#include "core/deliver/Home.h"

namespace brusk::deliver {

/// What is in it; an envelope of one kind is never taken for the other.
enum class EnvelopeKind { Calibration, Parcel };

/// What an envelope says of itself to everybody, once its signature holds.
struct EnvelopeHead {
    EnvelopeKind kind = EnvelopeKind::Calibration;
    std::string id;    ///< 32 hexadecimal digits, drawn for this file
    std::string made;  ///< ISO 8601, UTC
    Card by;
    std::vector<PublicKey> to;  ///< X25519 keys of those who can open it
};

/// Closes it. Whoever closes it can always open it again. `made`: ISO 8601, UTC.
[[nodiscard]] Result<Bytes> closeEnvelope(EnvelopeKind kind, const Key& by, const std::vector<Card>& to,
                                          ByteSpan content, const std::string& made);
/// Who sent it to whom. Refused as "altered" or "truncated" when its head is not as it was signed or bytes lack;
/// BadInput when it is no envelope of this kind.
[[nodiscard]] Result<EnvelopeHead> headOf(EnvelopeKind kind, ByteSpan file);

struct Opened {
    EnvelopeHead head;
    Bytes content;
};
/// Opens it with the key: refused as "untrusted" when `home` does not trust who sent it, as "wrong-recipient",
/// "altered" or "truncated".
[[nodiscard]] Result<Opened> openEnvelope(EnvelopeKind kind, ByteSpan file, const Key& key, const Home& home);

}  // namespace brusk::deliver
