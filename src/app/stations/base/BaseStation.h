// Base: what is fitted against what the original expects, proposals by cause, the plan of the first drives; what is
// accepted becomes a round.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QComboBox>
#include <QScrollArea>

#include "app/Session.h"
#include "app/stations/base/ProposalCard.h"
#include "app/widgets/Panels.h"

namespace brusk::app {

class BaseStation : public Station {
    Q_OBJECT
  public:
    BaseStation(Session& session, QWidget* parent = nullptr);
    QString hint() const override {
        return "Space accepts or leaves out a proposal \u00b7 Tab goes on \u00b7 Ctrl+Enter makes the round";
    }
    void shown() override { compute(); }
    const job::BaseWork* work() const { return work_ ? &*work_ : nullptr; }

  private:
    void makeSide(QHBoxLayout* columns);
    void makePlan(QHBoxLayout* columns);
    void compute();
    void fill();
    void fillCards();
    void fillFitted();
    void fillPlan();
    QWidget* causeHead(const QString& cause);
    void decide(const std::string& id, const proposals::Decision& decision);
    void decideCause(const std::string& cause, bool accept);
    void keepDecisions();
    void makeRound();
    void refreshButton();

    Session& session_;
    proposals::Decisions decisions_;
    proposals::Stage stage_ = proposals::Stage::Gentle;
    std::optional<job::BaseWork> work_;
    std::string problem_;
    QVBoxLayout *fitted_, *waiting_, *cards_, *contradictions_, *planLines_;
    QComboBox* stageChoice_;
    QScrollArea* scroll_;
    QLabel *waitingHead_, *contradictionHead_;
};

}  // namespace brusk::app
