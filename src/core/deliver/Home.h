// The key and the trusted cards of whoever sits here, in the data folder.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "core/deliver/Keys.h"
#include "core/storage/FileSystem.h"

namespace brusk::deliver {

/// What trusting a card came to.
enum class Trusted {
    New,      ///< it is trusted from now on
    Already,  ///< it was
    Changed   ///< it took the place of another card of that name, as was asked for
};

/// The folder that the desktop's rules name for data of one's own: XDG_DATA_HOME/brusk, or ~/.local/share/brusk.
storage::Path usualHome();

/// 1. The key is made once and never written over; nobody but its owner may read its file.
/// 2. A card is trusted by its keys, never by its name. A name that comes with other keys is refused until somebody
/// says
///    that the person has a new key; the card before it is then trusted no more.
class Home {
  public:
    Home(storage::FileSystem& files, storage::Path folder) : files_(files), folder_(std::move(folder)) {}

    storage::Path keyFile() const { return folder_ / "key"; }
    /// The card of the key here; nothing when no key was made yet.
    [[nodiscard]] Result<std::optional<Card>> card() const;
    /// Whether the key asks for a passphrase.
    [[nodiscard]] Result<bool> isLocked() const;
    /// Makes the key; Conflict when there is one.
    [[nodiscard]] Result<Key> makeKey(const std::string& name, std::string_view passphrase) const;
    /// NotFound when none was made yet.
    [[nodiscard]] Result<Key> key(std::string_view passphrase) const;
    /// The key file as it is, at a place where nothing stands yet, for its owner alone.
    [[nodiscard]] Done backup(const storage::Path& to) const;

    /// By name.
    [[nodiscard]] Result<std::vector<Card>> trusted() const;
    /// The trusted card with these keys; one's own is trusted.
    [[nodiscard]] Result<bool> trusts(const Card& card) const;
    /// `instead`: somebody said that this person has a new key.
    [[nodiscard]] Result<Trusted> trust(const Card& card, bool instead = false) const;
    /// The one trusted card of a name, or of a fingerprint (or its first groups); one's own too.
    [[nodiscard]] Result<Card> named(const std::string& nameOrFingerprint) const;

  private:
    storage::Path cardFile(const Card& card) const;

    storage::FileSystem& files_;
    storage::Path folder_;
};

}  // namespace brusk::deliver
