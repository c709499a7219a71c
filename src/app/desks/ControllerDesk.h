// What the controller is asked: who it is, its bytes, its trouble codes, how it stands against the ledger.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QObject>

#include "app/desks/CarInHand.h"
#include "core/job/ReadCar.h"
#include "core/job/TroubleCodes.h"

namespace brusk::job {
struct ObdCar;
}

namespace brusk::app {

class LinkDesk;
class Messages;

class ControllerDesk : public QObject {
    Q_OBJECT
  public:
    ControllerDesk(const CarInHand& car, LinkDesk& link, Messages& messages);

    /// Somebody answers, and nothing runs on the link.
    bool ready() const;
    /// The car as anybody can ask it, where no profile knows its controller.
    const job::ObdCar* obdCar() const;
    void read(job::ReadScope scope = job::ReadScope::Everything);
    /// Asks what its sectors hold, and puts the ledger right.
    void checkAgainstLedger();
    /// Identity, voltage and speed again (for the gates).
    void refreshIdentity();
    void readCodes(bool clearFirst);
    const std::vector<job::TroubleCodeReport>& codes() const { return codes_; }
    bool codesRead() const { return codesRead_; }
    /// Values and codes of a car without a profile, once more.
    void refreshObd(bool clearFirst);

  signals:
    void ledgerMoved();
    /// Its bytes are those of this round.
    void wasRead(int64_t round);
    void codesChanged();
    void obdChanged();
    void linkChanged();  ///< it, or what runs on it
    /// What the ledger's stock said; what the car runs now belongs behind it.
    void told(const QString& sentence, bool alarm);

  private:
    const CarInHand& car_;
    LinkDesk& link_;
    Messages& messages_;
    std::vector<job::TroubleCodeReport> codes_;
    std::shared_ptr<const job::Kit> codesKit_;  ///< keeps what they point to
    bool codesRead_ = false;
};

}  // namespace brusk::app
