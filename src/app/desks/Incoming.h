// What somebody sent, opened and looked at before anything of it is taken.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QString>
#include <memory>
#include <optional>

#include "core/job/Parcel.h"

namespace brusk::app {

/// A file that somebody sent, as it was opened; nothing of it was taken yet.
struct Incoming {
    QString name;
    Bytes file;
    std::optional<deliver::SealedCalibration> sealed;
    std::optional<job::Parcel> parcel;
    QString refusal;  ///< why it was not opened, or may not be taken into this folder; empty: it may
    /// The card of who sent it, when that is not trusted here.
    std::optional<deliver::Card> stranger;
    bool mayBeTaken() const { return refusal.isEmpty() && (sealed || parcel); }
};

/// A calling card, which needs no key to be read.
bool isCard(ByteSpan file);
/// Opens a file of either kind, and says why it can't be taken into this folder (null: none is open).
Incoming openedBy(const Bytes& file, const deliver::Key& key, const deliver::Home& home,
                  const std::shared_ptr<carfolder::CarFolder>& folder);

}  // namespace brusk::app
