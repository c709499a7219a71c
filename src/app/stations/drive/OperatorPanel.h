// The bench car's operator: route, time, weather, fuel and faults. No part of it is there with a real car.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QComboBox>
#include <QListWidget>
#include <QSpinBox>
#include <QToolButton>

#include "app/stations/drive/DrivePresenter.h"
#include "app/widgets/Panels.h"

namespace brusk::app {

class OperatorPanel : public Panel {
    Q_OBJECT
  public:
    explicit OperatorPanel(DrivePresenter& presenter, QWidget* parent = nullptr);
    QComboBox* route() { return route_; }
    QComboBox* lapse() { return lapse_; }
    /// What needs a car that drives.
    void setDriving(bool driving);

  private:
    void makeRoute();
    void makeWeatherAndFuel();
    void makeFaults();
    void order();

    DrivePresenter& presenter_;
    QComboBox* route_;
    QComboBox* lapse_;
    QDoubleSpinBox* temperature_;
    QDoubleSpinBox* pressure_;
    QDoubleSpinBox* octane_;
    QDoubleSpinBox* ethanol_;
    QComboBox* wideband_;
    QToolButton* ignition_;
    QToolButton* reset_;
    int resets_ = 0;
    QListWidget* faults_;
    QLabel* faultCount_;
};

}  // namespace brusk::app
