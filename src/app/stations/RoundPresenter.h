// What Review and Correct have in common: the round that is looked at, its recordings, what was driven on it.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QObject>

#include "core/carfolder/Recordings.h"
#include "core/evidence/Drives.h"

namespace brusk::app {

class Desks;

class RoundPresenter : public QObject {
    Q_OBJECT
  public:
    explicit RoundPresenter(Desks& desks, QObject* parent = nullptr);

    /// "round 3, Air model"; empty: nothing was read yet.
    QString roundText() const;
    const units::Preferences& units() const;

  signals:
    void unitsChanged();
    /// The round that every station shows is another, or was changed.
    void roundShown();

  protected:
    std::vector<carfolder::RecordingEntry> recordingsOfRound() const;
    /// Null until they are loaded, and where nobody drove.
    std::shared_ptr<const evidence::Drives> drivesOfRound() const;
    /// Why there are none of a round that has recordings.
    QString withoutDrives() const;

    Desks& desks_;
};

}  // namespace brusk::app
