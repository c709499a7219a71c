// Car: the link, who answers, reading the controller, trouble codes, and the build sheet.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QComboBox>
#include <QLineEdit>
#include <QProgressBar>

#include "app/Session.h"
#include "app/stations/car/BuildSheetForm.h"
#include "app/widgets/Panels.h"

namespace brusk::app {

class CarStation : public Station {
    Q_OBJECT
  public:
    CarStation(Session& session, QWidget* parent = nullptr);
    QString hint() const override { return "Connect, read the controller once, and fill in the parts fitted"; }
    void shown() override { primary()->setFocus(); }

  private:
    void makeLinkPanel(QVBoxLayout* column);
    void makeIdentityPanel(QVBoxLayout* column);
    void makeCodesPanel(QVBoxLayout* column);
    void refresh();
    void refreshCodes();
    void refreshProgress();
    void act();
    QString chosenLink() const;

    Session& session_;
    QComboBox* linkChoice_;
    QLineEdit* socketPath_;
    QPushButton* cable_;
    QPushButton* disconnect_;
    QLabel* linkState_;
    Facts* identity_;
    QLabel* inTheCar_;
    QWidget* progressBox_;
    QLabel* progressText_;
    QProgressBar* progress_;
    QVBoxLayout* codes_;
    QPushButton* readCodes_;
    QPushButton* clearCodes_;
    BuildSheetForm* sheet_;
};

}  // namespace brusk::app
