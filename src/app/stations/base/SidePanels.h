// What stands beside the proposals: the parts fitted against those the original expects, and the plan of the first
// drives with what contradicts itself.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QComboBox>
#include <QPushButton>
#include <QScrollArea>

#include "app/widgets/Panels.h"
#include "core/job/Base.h"
#include "core/job/Correct.h"

namespace brusk::app {

/// Two lists, the second under a heading; they scroll where there is too much for the panel.
class TwoLists : public Panel {
    Q_OBJECT
  public:
    TwoLists(const QString& heading, const QString& second);

  protected:
    /// Empties both, and hides the second's heading.
    void begin();
    QVBoxLayout *upper_, *lower_;
    QLabel* second_;
    QScrollArea* scroll_;
};

/// Each part on the build sheet beside the one that the original was made for, and the proposals that wait.
class FittedPanel : public TwoLists {
    Q_OBJECT
  public:
    FittedPanel();
    void show(const proposals::BuildSheet& sheet, const job::BaseWork* work);

  signals:
    void sheetWanted();
    /// Somebody wants to see what is proposed for a group of parts.
    void causeWanted(const QString& cause);
    /// A role that nobody plays is to be given.
    void roleWanted(const QString& role);

  private:
    void addFact(const proposals::FactKind& kind, double value, std::optional<double> stock);
    /// What is no number of a part: another meter, wishes, notes.
    void addBesides(const proposals::BuildSheet& sheet);
    void addWaiting(const proposals::BasePlan& plan);
    QPushButton* wait_;  ///< how many wait; leads down to them
};

/// How hard the car may be driven, stage by stage, and the contradictions of the calibration as it would be.
class FirstDrivesPanel : public TwoLists {
    Q_OBJECT
  public:
    FirstDrivesPanel();
    void show(const job::BaseWork* work, proposals::Stage stage);

  signals:
    void stageChosen(proposals::Stage stage);
    void parameterWanted(const QString& name);

  private:
    void addStage(const proposals::StagePlan& stage, bool isNow);
    QComboBox* stages_;
};

/// A text that wraps.
QLabel* wrapped(const QString& text, const char* role = nullptr);
/// The inside of a scroll area that takes the width there is and wraps its texts.
QWidget* narrow();

}  // namespace brusk::app
