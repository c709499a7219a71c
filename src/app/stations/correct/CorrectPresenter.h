// What the Correct station shows: the air correction of the round that is looked at, from the drives on it, computed
// off the interface thread whenever round, drives or settings are others.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QObject>

#include "core/carfolder/Recordings.h"
#include "core/evidence/Drives.h"
#include "core/proposals/AirCorrection.h"

namespace brusk::units {
class Preferences;
}

namespace brusk::app {

class Desks;

class CorrectPresenter : public QObject {
    Q_OBJECT
  public:
    explicit CorrectPresenter(Desks& desks, QObject* parent = nullptr);

    /// A round is looked at, perhaps another one.
    void look();
    void setOptions(const proposals::AirCorrectionOptions& options);
    /// Says what came of it.
    void makeRound();

    QString roundText() const;  ///< empty: nothing was read yet
    std::vector<carfolder::RecordingEntry> recordings() const;
    /// Null until they are loaded, and where nobody drove.
    std::shared_ptr<const evidence::Drives> drives() const;
    const proposals::AirCorrection* correction() const { return correction_ ? &*correction_ : nullptr; }
    const std::vector<std::string>& warnings() const { return warnings_; }
    /// What the tables say at recorded inputs, a sentence.
    const std::string& axes() const { return axes_; }
    /// Why there is no correction, a sentence; empty when there is one.
    QString waitsFor() const;
    int nextNumber() const;
    const units::Preferences& units() const;

  signals:
    void changed();
    void unitsChanged();
    /// The round that every station shows is another.
    void roundShown();

  private:
    void compute();

    Desks& desks_;
    proposals::AirCorrectionOptions options_;
    std::optional<proposals::AirCorrection> correction_;
    std::vector<std::string> warnings_;
    std::string axes_, problem_;
};

}  // namespace brusk::app
