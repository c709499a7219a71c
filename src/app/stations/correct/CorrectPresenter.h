// What the Correct station shows: the air correction of the round that is looked at, from the drives on it, computed
// off the interface thread whenever round, drives or settings are others.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/stations/RoundPresenter.h"
#include "core/proposals/AirCorrection.h"

namespace brusk::app {

class CorrectPresenter : public RoundPresenter {
    Q_OBJECT
  public:
    explicit CorrectPresenter(Desks& desks, QObject* parent = nullptr);

    /// A round is looked at, perhaps another one.
    void look();
    void setOptions(const proposals::AirCorrectionOptions& options);
    /// Says what came of it.
    void makeRound();

    std::vector<carfolder::RecordingEntry> recordings() const { return recordingsOfRound(); }
    std::shared_ptr<const evidence::Drives> drives() const { return drivesOfRound(); }
    const proposals::AirCorrection* correction() const { return correction_ ? &*correction_ : nullptr; }
    const std::vector<std::string>& warnings() const { return warnings_; }
    /// What the tables say at recorded inputs, a sentence.
    const std::string& axes() const { return axes_; }
    /// Why there is no correction, a sentence; empty when there is one.
    QString waitsFor() const;
    int nextNumber() const;

  signals:
    void changed();

  private:
    void takeEvidence();
    void compute();

    int64_t looked_ = -1;                             ///< the round that the station last showed
    std::shared_ptr<const evidence::Drives> from_;    ///< what is computed from
    proposals::AirCorrectionOptions options_, made_;  ///< as asked for; those of the correction that is there
    std::optional<proposals::AirCorrection> correction_;
    std::vector<std::string> warnings_;
    std::string axes_, problem_;
};

}  // namespace brusk::app
