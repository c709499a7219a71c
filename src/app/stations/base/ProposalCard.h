// One proposal: yes or no, why, its formula, its numbers before and after, what to look at on the first drive.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QCheckBox>

#include "app/desks/Desks.h"
#include "app/widgets/Panels.h"
#include "core/proposals/BaseCalibration.h"

namespace brusk::app {

class ProposalCard : public Panel {
    Q_OBJECT
  public:
    ProposalCard(const proposals::Proposal& proposal, const units::Preferences& units, QWidget* parent = nullptr);

    /// Brief: its formula alone, without reason, tables and what to check.
    void setBrief(bool brief);
    /// Whether it tells just this: then nothing is to be drawn anew.
    bool tells(const proposals::Proposal& proposal) const;

  signals:
    void decided(const std::string& id, const proposals::Decision& decision);
    /// Somebody wants to see the parameter on Maps.
    void parameterWanted(const QString& name);

  private:
    void makeHead(const proposals::Proposal& proposal);
    void makeTables(const proposals::Proposal& proposal, const units::Preferences& units);
    QWidget* changeView(const proposals::Change& change, const units::Preferences& units);
    /// Ours and the donor's side by side, in one shading, and what lies between.
    void sideBySide(QVBoxLayout* column, const proposals::Change& change, const units::Preferences& units);

    QLabel* wrong_ = nullptr;  ///< why what was typed is no number
    QWidgetList details_;      ///< what the brief view leaves out
    proposals::Proposal told_;
    proposals::Decision decision_;
};

}  // namespace brusk::app
