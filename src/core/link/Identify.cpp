// Identifiers of the profile in turn; what is refused stays empty.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>

#include "core/base/Text.h"
#include "core/link/Transfer.h"

namespace brusk::link {

const std::string& Identity::at(const std::string& key) const {
    static const std::string none;
    const auto found = values.find(key);
    return found == values.end() ? none : found->second;
}

namespace {

constexpr uint8_t kBusyRepeat = 0x21;  // ISO 14229-1, table A.1

/// An identifier as a person reads it: without the padding behind it (0x00 or erased flash, 0xFF), always valid text.
std::string shownText(ByteSpan bytes) {
    std::string_view text = asText(bytes);
    text = text.substr(0, text.find('\0'));
    while (!text.empty() && text.back() == '\xFF')
        text.remove_suffix(1);
    return validText(trimmed(text));
}

}  // namespace

Result<Identity> identify(Uds& uds) {
    Identity identity;
    const Profile& profile = uds.profile();
    for (const IdentityItem& item : profile.identity) {
        const auto bytes = uds.readId(item.did);
        if (!bytes) {
            // A controller may lack one identifier; that nobody answers at all is another matter.
            if (uds.lastRefusal() == kBusyRepeat && bytes.error().code == ErrorCode::Refused)
                return fail(ErrorCode::Timeout,
                            "The controller says that it is busy, and stays so. Switch the ignition off and on.");
            if (bytes.error().code == ErrorCode::Refused) continue;
            return failBecause("No controller answers on this link. Is the ignition on?", bytes.error());
        }
        identity.values[item.key] = shownText(*bytes);
    }
    // A controller may lack one of these too; silence is not taken for nothing.
    const auto number = [&](uint16_t did) -> Result<double> {
        const auto bytes = uds.readId(did);
        if (!bytes && bytes.error().code == ErrorCode::Refused) return 0.0;
        if (!bytes) return tl::unexpected(bytes.error());
        if (bytes->empty()) return 0.0;
        return static_cast<double>(
            loadUnsigned(bytes->data(), std::min<size_t>(8, bytes->size()), ByteOrder::BigEndian));
    };
    const auto counts = number(profile.didVoltage);
    if (!counts) return failBecause("The controller did not tell its voltage.", counts.error());
    identity.voltage = *counts * profile.voltageScale;
    const auto speed = number(profile.didEngineSpeed);
    if (!speed) return failBecause("The controller did not tell the engine's speed.", speed.error());
    identity.engineSpeed_rpm = *speed;
    return identity;
}

}  // namespace brusk::link
