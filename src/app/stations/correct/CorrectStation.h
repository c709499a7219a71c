// Correct: from the evidence of a round's drives to the air model of the next, cell by cell.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QSlider>

#include "app/stations/correct/CorrectPresenter.h"
#include "app/widgets/MapGrid.h"
#include "app/widgets/Panels.h"
#include "core/proposals/AirCorrection.h"

namespace brusk::app {

/// Two distributions of the fuel error over each other: now, and as expected after.
class Distribution : public QWidget {
    Q_OBJECT
  public:
    explicit Distribution(QWidget* parent = nullptr);
    void setErrors(const std::vector<float>& now, const std::vector<float>& after);
    QSize sizeHint() const override { return {320, 54}; }

  protected:
    void paintEvent(QPaintEvent*) override;

  private:
    std::vector<int> now_, after_;
    int most_ = 1;
};

class CorrectStation : public Station {
    Q_OBJECT
  public:
    CorrectStation(Desks& desks, QWidget* parent = nullptr);
    QString hint() const override { return "1 to 4 switch the layer \u00b7 arrows look at cells"; }
    void shown() override { presenter_.look(); }

  protected:
    void keyPressEvent(QKeyEvent* event) override;

  private:
    enum Layer { kOffBy, kHowSure, kChange, kResult, kLayers };
    void makeThumbs();
    void makeSide(QHBoxLayout* row);
    void settle();
    void refresh();
    void show(Layer layer);
    GridContents contentsOf(Layer layer) const;
    void refreshSide();
    void refreshCell();
    proposals::AirCorrectionOptions options() const;

    CorrectPresenter presenter_;
    Layer layer_ = kChange;
    QFrame* thumbs_[kLayers] = {};
    MapGrid* small_[kLayers] = {};
    MapGrid* grid_;
    Distribution* distribution_;
    QLabel *now_, *after_, *cell_, *empty_, *strengthText_, *doubtText_, *warning_;
    QFrame* warningBox_;
    QWidget* content_;
    QSlider *strength_, *doubt_;
    Facts *recordings_, *samples_, *delay_;
    QLabel* axes_;  ///< what the tables say at recorded inputs
};

}  // namespace brusk::app
