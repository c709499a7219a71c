// Asks places for the round and the evidence desk for what was driven on it.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stations/RoundPresenter.h"

#include "app/desks/CarInHand.h"
#include "app/desks/Desks.h"
#include "app/desks/EvidenceDesk.h"
#include "app/desks/Places.h"
#include "app/desks/UnitChoice.h"

namespace brusk::app {

RoundPresenter::RoundPresenter(Desks& desks, QObject* parent) : QObject(parent), desks_(desks) {
    connect(&desks.places, &Places::roundShown, this, &RoundPresenter::roundShown);
    connect(&desks.units, &UnitChoice::changed, this, &RoundPresenter::unitsChanged);
}

QString RoundPresenter::roundText() const {
    const auto* round = desks_.car.round(desks_.places.round());
    return round ? tr("round %1, %2").arg(round->number).arg(QString::fromStdString(round->title)) : QString();
}

const units::Preferences& RoundPresenter::units() const {
    return desks_.units.preferences();
}

std::vector<carfolder::RecordingEntry> RoundPresenter::recordingsOfRound() const {
    const int64_t round = desks_.places.round();
    return desks_.car.round(round) ? desks_.evidence.recordings(round) : std::vector<carfolder::RecordingEntry>();
}

std::shared_ptr<const evidence::Drives> RoundPresenter::drivesOfRound() const {
    return desks_.evidence.of(desks_.places.round());
}

QString RoundPresenter::withoutDrives() const {
    return desks_.evidence.reading(desks_.places.round())
               ? "Reading the recordings \u2026"
               : "None of the recordings can be learned from; the message said why.";
}

}  // namespace brusk::app
