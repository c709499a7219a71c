// The head says of which kind it is; the rest is opened with the key.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/desks/Incoming.h"

#include <QObject>

namespace brusk::app {

bool isCard(ByteSpan file) {
    return asText(file).starts_with("Brusk card");
}

Incoming openedBy(const Bytes& file, const deliver::Key& key, const deliver::Home& home,
                  const std::shared_ptr<carfolder::CarFolder>& folder) {
    Incoming out;
    out.file = file;
    const auto refuse = [&](const Error& error) { out.refusal = QString::fromStdString(error.text()); };
    const bool isParcel = deliver::headOf(deliver::EnvelopeKind::Parcel, file).has_value();
    const auto head =
        deliver::headOf(isParcel ? deliver::EnvelopeKind::Parcel : deliver::EnvelopeKind::Calibration, file);
    if (!head) return refuse(head.error()), out;
    if (const auto known = home.trusts(head->by); known && !*known) out.stranger = head->by;
    if (isParcel) {
        auto parcel = job::openParcel(file, key, home);
        if (!parcel) return refuse(parcel.error()), out;
        out.parcel = std::move(*parcel);
        if (!folder) out.refusal = QObject::tr("Open the folder of this car to take it.");
        return out;
    }
    auto sealed = deliver::unseal(file, key, home);
    if (!sealed) return refuse(sealed.error()), out;
    out.sealed = std::move(*sealed);
    if (!folder) out.refusal = QObject::tr("Open the folder of this car to take it.");
    if (folder)
        if (auto may = job::mayTake(*folder, *out.sealed); !may) refuse(may.error());
    return out;
}

}  // namespace brusk::app
