// Base: proposals for the parts fitted, each with formula, before and after; the accepted ones become a round.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QCheckBox>

#include "app/Session.h"
#include "app/widgets/Panels.h"
#include "core/proposals/BaseCalibration.h"

namespace brusk::app {

class BaseStation : public Station {
    Q_OBJECT
  public:
    BaseStation(Session& session, QWidget* parent = nullptr);
    QString hint() const override { return "Space accepts or leaves out a proposal"; }
    void shown() override { compute(); }

  private:
    void compute();
    QWidget* card(const proposals::Proposal& proposal, size_t index);
    void makeRound();
    void refreshButton();

    Session& session_;
    QVBoxLayout* fitted_;
    QVBoxLayout* cards_;
    std::vector<proposals::Proposal> proposals_;
    std::vector<QCheckBox*> accepted_;
};

}  // namespace brusk::app
