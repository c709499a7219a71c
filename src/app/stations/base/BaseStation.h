// Base: what is fitted against what the original expects, proposals by cause, the plan of the first drives; what is
// accepted becomes a round.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QScrollArea>

#include "app/desks/Desks.h"
#include "app/stations/base/ProposalCard.h"
#include "app/stations/base/SidePanels.h"
#include "app/widgets/Panels.h"
#include "core/job/Base.h"
#include "core/job/Donors.h"

namespace brusk::app {

class BaseStation : public Station {
    Q_OBJECT
  public:
    BaseStation(Desks& desks, QWidget* parent = nullptr);
    QString hint() const override {
        return "Space accepts or leaves out a proposal \u00b7 Tab goes on \u00b7 Ctrl+Enter makes the round";
    }
    void shown() override { compute(); }
    const job::BaseWork* work() const { return work_ ? &*work_ : nullptr; }
    /// Whether the proposals are being computed anew; those shown are of before.
    bool computing() const { return computing_; }
    void addDonorFile(const QString& image);

  private:
    void compute();
    void openParameter(const QString& name);
    void computed(Result<job::BaseWork> work);
    void fill();
    QWidget* donorHead();
    /// The card of a proposal: the one that is shown, where it tells the same.
    ProposalCard* cardOf(const proposals::Proposal& proposal);
    void chooseDonor(int index);
    void addDonor();
    job::DonorPtr donor() const;
    bool donorMissing() const { return !donor_.empty() && !donor() && work_ && work_->onOriginal; }
    /// What is known of the donor's parts, in place of the proposals until it is told.
    void askDonorParts();
    void fillCards();
    /// Proposals in full, or by their formula alone.
    void turnBrief();
    /// Brings a cause's proposals into view, the keyboard with them.
    void lookAt(const QString& cause);
    QWidget* causeHead(const QString& cause);
    void decide(const std::string& id, const proposals::Decision& decision);
    void decideCause(const std::string& cause, bool accept);
    void keepDecisions();
    void makeRound();
    void refreshButton();

    Desks& desks_;
    proposals::Decisions decisions_;
    proposals::Stage stage_ = proposals::Stage::Gentle;
    std::optional<job::BaseWork> work_;
    std::string donor_;  ///< name of the donor whose tables are offered; empty for none
    int asked_ = 0;      ///< counts what was computed, so that an older answer is told apart
    bool computing_ = false;
    bool makeWhenDone_ = false;
    bool askingParts_ = false;
    bool brief_ = false;
    std::string problem_;
    FittedPanel* fitted_;
    FirstDrivesPanel* drives_;
    QVBoxLayout* cards_ = nullptr;
    QScrollArea* scroll_;
};

}  // namespace brusk::app
