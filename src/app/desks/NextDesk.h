// The next sensible step with the car in hand.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QObject>

#include "core/job/NextStep.h"

namespace brusk::app {

class CarInHand;
class Places;

class NextDesk : public QObject {
    Q_OBJECT
  public:
    NextDesk(const CarInHand& car, Places& places);

    const job::NextStep& step() const { return step_; }
    /// Goes where it is done.
    void go();
    /// Looks again; `connected`: a controller answers; one that does not fit is said elsewhere.
    void refresh(bool connected, bool sheetIsEmpty);

  signals:
    void changed();
    /// There is no folder to go to.
    void folderWanted();

  private:
    const CarInHand& car_;
    Places& places_;
    job::NextStep step_;
};

}  // namespace brusk::app
