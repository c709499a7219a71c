// Correct: from the evidence of a round's drives to the next round. What is worth correcting at the left, the work in
// the middle, evidence, settings and reason at the right.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/stations/correct/CorrectPresenter.h"
#include "app/stations/correct/CorrectionView.h"
#include "app/stations/correct/KindList.h"
#include "app/stations/correct/SettingsPanel.h"
#include "app/widgets/Panels.h"

namespace brusk::app {

class CorrectStation : public Station {
    Q_OBJECT
  public:
    CorrectStation(Desks& desks, QWidget* parent = nullptr);
    QString hint() const override {
        return tr(
            "Space takes or leaves a kind \u00b7 1 to 4 the layer \u00b7 Enter its moments \u00b7 Ctrl Enter makes the "
            "round");
    }
    void shown() override { presenter_.look(); }

  protected:
    void keyPressEvent(QKeyEvent* event) override;

  private:
    void makeLeft(QHBoxLayout* row);
    void makeSide(QHBoxLayout* row);
    void refresh();
    void refreshPrimary();
    void refreshSide();
    void refreshSamples();
    void refreshPromises();
    void showMoments();

    CorrectPresenter presenter_;
    KindList* kinds_;
    QLabel *from_, *promisedTitle_;
    QTreeWidget* promised_;
    CorrectionView* view_;
    SettingsPanel* settings_;
    QLabel *empty_, *warning_, *mind_, *reason_, *formula_, *seenTitle_;
    QFrame* warningBox_;
    QWidget* content_;
    Facts *recordings_, *samples_, *delay_;
    QLabel* axes_;  ///< what the tables say at recorded inputs
};

}  // namespace brusk::app
