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

Result<Identity> identify(Uds& uds) {
    Identity identity;
    const Profile& profile = uds.profile();
    for (const IdentityItem& item : profile.identity) {
        const auto bytes = uds.readId(item.did);
        if (!bytes) {
            // A controller may lack one identifier; that nobody answers at all is another matter.
            if (bytes.error().code == ErrorCode::Refused) continue;
            return failBecause("No controller answers on this link. Is the ignition on?", bytes.error());
        }
        identity.values[item.key] = std::string(trimmed(asText(*bytes).substr(0, asText(*bytes).find('\0'))));
    }
    const auto number = [&](uint16_t did) {
        const auto bytes = uds.readId(did);
        if (!bytes || bytes->empty()) return 0.0;
        return static_cast<double>(
            loadUnsigned(bytes->data(), std::min<size_t>(8, bytes->size()), ByteOrder::BigEndian));
    };
    identity.voltage = number(profile.didVoltage) * profile.voltageScale;
    identity.engineSpeed_rpm = number(profile.didEngineSpeed);
    return identity;
}

}  // namespace brusk::link
