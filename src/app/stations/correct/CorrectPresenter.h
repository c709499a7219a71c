// What the Correct station shows: every kind of correction of the round that is looked at, from the drives on it,
// computed off the interface thread whenever round, drives or choices are others.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <atomic>

#include "app/stations/RoundPresenter.h"
#include "core/job/Correct.h"

namespace brusk::app {

class CorrectPresenter : public RoundPresenter {
    Q_OBJECT
  public:
    explicit CorrectPresenter(Desks& desks, QObject* parent = nullptr);

    /// A round is looked at, perhaps another one.
    void look();
    /// A kind is opened.
    void open(std::string_view kind);
    /// Its change is made, or left out: those that stand on it are computed anew.
    void take(std::string_view kind, bool taken);
    void set(std::string_view setting, double value);
    /// Into the draft where there is one, else into a new round; says what came of it.
    void makeRound();
    /// Shows a moment of the drives in Review.
    void showMoment(const evidence::Moment& moment);
    void sayNoMoment();
    /// Shows when the engine was longest in a cell of the opened kind's table; says where it never was.
    void showCell(size_t cell);

    std::vector<carfolder::RecordingEntry> recordings() const;
    std::shared_ptr<const evidence::Drives> drives() const;
    /// Null until it is computed.
    const job::RoundCorrections* result() const { return result_.get(); }
    /// Of the kind that is open; null where there is none.
    const proposals::Correction* opened() const;
    const proposals::CorrectionChoices& choices() const { return choices_; }
    bool taken(std::string_view kind) const;
    double setting(const proposals::Setting& setting) const;
    /// Why there is no correction, a sentence; empty when there is one.
    QString waitsFor() const;
    /// Whether there is anything to make that the draft, where there is one, has not got.
    bool mayMake() const;
    /// "Make round 3", "Add to round 4": what the filled button does.
    QString makes(bool may) const;
    /// "from two drives on round 3".
    QString fromWhat() const;

  signals:
    void changed();
    /// The bytes of the round that is shown are others: the draft may lack what it had.
    void draftChanged();

  private:
    void takeEvidence();
    void compute();
    /// The round whose drives teach: the one that is looked at, or the one that a draft was made from.
    const carfolder::Round* driven() const;
    /// The newest draft made from that; null for none.
    const carfolder::Round* draft() const;
    /// Whether the draft has other bytes where these corrections write.
    bool draftLacks() const;

    int64_t looked_ = -1;                           ///< the round that the station last showed
    std::shared_ptr<const evidence::Drives> from_;  ///< what is computed from
    proposals::CorrectionChoices choices_, made_;   ///< as asked for; those of the result that is there
    std::shared_ptr<const job::RoundCorrections> result_;
    std::optional<calibration::Calibration> inCar_;
    std::string opened_;
    std::string problem_;
    std::shared_ptr<std::atomic<uint64_t>> asked_ = std::make_shared<std::atomic<uint64_t>>(0);
};

}  // namespace brusk::app
