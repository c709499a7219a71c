// Asks the core anew whenever rounds, link or sheet are others.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/desks/NextDesk.h"

#include "app/desks/CarInHand.h"
#include "app/desks/Places.h"

namespace brusk::app {

NextDesk::NextDesk(const CarInHand& car, Places& places)
    : car_(car), places_(places), step_(job::nextStep(job::Situation{})) {}

void NextDesk::refresh(bool connected, bool sheetIsEmpty) {
    step_ = job::nextStep({car_.folder != nullptr, connected, car_.rounds, car_.contents, sheetIsEmpty});
    emit changed();
}

void NextDesk::go() {
    if (step_.step == job::Step::OpenFolder) return emit folderWanted();
    places_.go({.station = QString::fromStdString(step_.station), .round = step_.round});
}

}  // namespace brusk::app
