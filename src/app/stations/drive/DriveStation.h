// Drive: channel set, live numbers and lanes, the VE map under the ring with its coverage, recording.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QComboBox>
#include <QStackedWidget>
#include <QTimer>
#include <QToolButton>

#include "app/stations/drive/DrivePresenter.h"
#include "app/widgets/LaneView.h"
#include "app/widgets/MapGrid.h"
#include "app/widgets/Panels.h"

namespace brusk::app {

/// One large number with its name and unit.
class Readout : public QFrame {
    Q_OBJECT
  public:
    Readout(const QString& name, int decimals, QWidget* parent = nullptr);
    /// The unit it is told in; values come in the stored one.
    void setShown(const units::Shown& shown);
    void show(double value, const char* role = "numbers");

  private:
    QString title_;
    units::Shown shown_;
    QLabel *name_, *value_;
    int decimals_;
};

class ChannelsPanel;
class GuardsPanel;
class SensorsPanel;
class TankPanel;

class DriveStation : public Station {
    Q_OBJECT
  public:
    DriveStation(Desks& desks, QWidget* parent = nullptr);
    QString hint() const override { return "recording goes to the car folder as it comes \u00b7 M sets a mark"; }
    void shown() override;

  private:
    void makeReadouts();
    QWidget* makeOperatorPanel();
    QWidget* makeSetup();
    /// What is set before a drive: a page for each.
    enum Page { kChannels, kSensors, kGuards, kTank, kPages };
    void showSetup(int page);
    void record();
    void refresh();
    void drawLanes();
    void drawCoverage();

    Desks& desks_;
    DrivePresenter presenter_;
    QList<std::pair<Readout*, roles::Role>> readouts_;
    Readout* fuelOff_;
    LaneView* lanes_;
    MapGrid* coverage_;
    QLabel* coverageText_;
    QLabel* status_;
    QPushButton* mark_;
    QComboBox* route_;
    QComboBox* lapse_;
    QWidget* operatorPanel_;
    Panel* coverPanel_;
    QStackedWidget* pages_;
    QToolButton* tabs_[kPages];
    ChannelsPanel* channels_;
    SensorsPanel* sensors_;
    GuardsPanel* guards_;
    TankPanel* tank_;
    QTimer paint_;
};

}  // namespace brusk::app
