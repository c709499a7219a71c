// Drive: channel set, live numbers and lanes, the VE map under the ring with its coverage, recording.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QComboBox>
#include <QListWidget>
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

class DriveStation : public Station {
    Q_OBJECT
  public:
    DriveStation(Desks& desks, QWidget* parent = nullptr);
    QString hint() const override { return "recording goes to the car folder as it comes \u00b7 M sets a mark"; }
    void shown() override { fillChannels(); }

  private:
    void makeReadouts();
    QWidget* makeOperatorPanel();
    QWidget* makeChannelPanel();
    void fillChannels();
    void refresh();
    void refreshCost();
    void choosePurposes();
    void drawLanes();
    void drawCoverage();
    std::vector<std::string> chosen() const;

    DrivePresenter presenter_;
    QList<std::pair<Readout*, roles::Role>> readouts_;
    Readout* fuelOff_;
    LaneView* lanes_;
    MapGrid* coverage_;
    QLabel* coverageText_;
    QLabel* status_;
    QPushButton* mark_;
    QLabel* cost_;
    QComboBox* route_;
    QComboBox* lapse_;
    QWidget* operatorPanel_;
    QListWidget* channels_;
    QToolButton* purpose_;
    ElidedLabel* lacks_;
    QTimer paint_;
};

}  // namespace brusk::app
