// What was driven on a round, loaded once off this thread and kept until a drive is added; whoever shows, reviews or
// corrects asks here.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QObject>
#include <map>

#include "app/desks/CarInHand.h"
#include "core/evidence/Drives.h"

namespace brusk::app {

class Background;
class Messages;

class EvidenceDesk : public QObject {
    Q_OBJECT
  public:
    using DrivesPtr = std::shared_ptr<const evidence::Drives>;

    EvidenceDesk(const CarInHand& car, Background& background, Messages& messages);

    /// What was driven on the round itself; null while that is not known, and where nothing was.
    DrivesPtr of(int64_t round) const;
    /// The same, of its nearest ancestor where nobody drove on it.
    DrivesPtr behind(int64_t round) const;
    /// Begins to load what is not there; changed() tells when it is.
    void load(int64_t round);
    /// Whether a round's drives are being loaded.
    bool reading(int64_t round) const { return loading_.count(round) > 0; }
    std::vector<carfolder::RecordingEntry> recordings(int64_t round) const;

    /// Checks whose taints count as evidence of a round all the same.
    std::vector<std::string> putBackOn(int64_t round) const;
    /// Puts what a check taints back into the evidence of a round, or leaves it out again; changed() tells when it is.
    void putBack(int64_t round, const std::string& check, bool back);
    /// What is seriously wrong in what was driven on a round, as far as that was looked at.
    int openFindings(int64_t round) const;

    /// A drive was added: what was known of its round and of those that stand on it is looked up again, and the round's
    /// figure measured anew.
    void driveAdded(int64_t round);
    /// Another folder is in hand.
    void forget();

  signals:
    void changed();
    /// They can't be loaded, which is said; the next asking tries again.
    void couldNotLoad();
    /// A round's figure in the ledger is another.
    void measured();

  private:
    void load(int64_t round, bool measure);

    const CarInHand& car_;
    Background& background_;
    Messages& messages_;
    std::map<int64_t, DrivesPtr> drives_;  ///< by the round they were driven on
    struct Driven {
        std::optional<int64_t> on;  ///< the round itself, or its ancestor that was driven on
        size_t recordings = 0;      ///< of the round when that was looked up
    };
    std::map<int64_t, Driven> driven_;
    struct Asked {
        uint64_t number = 0;    ///< of the newest asking
        size_t recordings = 0;  ///< of the round by then
    };
    std::map<int64_t, Asked> loading_;
    uint64_t asked_ = 0;
};

}  // namespace brusk::app
