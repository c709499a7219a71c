// Car: the link and who answers on it, what the controller says of itself, trouble codes, the parts fitted.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QComboBox>
#include <QLineEdit>
#include <QProgressBar>
#include <QTimer>

#include "app/desks/Desks.h"
#include "app/stations/car/BuildSheetForm.h"
#include "app/stations/car/CodesPanel.h"
#include "app/stations/car/ObdPanel.h"
#include "app/widgets/Panels.h"

namespace brusk::app {

/// The links of this machine; asks for them anew whenever it is opened.
class LinkChoice : public QComboBox {
    Q_OBJECT
  public:
    LinkChoice();
    void showPopup() override;
    /// Lists what is there now; what was chosen stays chosen.
    void list();
    /// "bench", "socketcan:can0", "unix:".
    QString chosen() const { return currentData().toString(); }
    void choose(const QString& link);
    /// The interface that is chosen, and what to do when it is down.
    QString advice() const;
};

class CarStation : public Station {
    Q_OBJECT
  public:
    CarStation(Desks& desks, QWidget* parent = nullptr);
    QString hint() const override { return "reading changes nothing in the car"; }
    void shown() override;

  private:
    void makeLinkPanel(QVBoxLayout* column);
    void makeIdentityPanel(QVBoxLayout* column);
    void refresh();
    void refreshButtons();
    void refreshLink();
    void refreshBus();
    void refreshIdentity();
    void refreshProgress();
    void act();
    QString chosenLink() const;

    Desks& desks_;
    LinkChoice* linkChoice_;
    QLineEdit* socketPath_;
    QPushButton* cable_;
    QPushButton* disconnect_;
    QLabel* linkState_;
    QLabel* bus_;
    QLabel* ipLines_;
    Facts* identity_;
    QLabel* mismatch_;
    QLabel* inTheCar_;
    QPushButton* compare_;
    QPushButton *readAgain_, *calibrationOnly_;
    QWidget* progressBox_;
    QLabel* progressText_;
    QProgressBar* progress_;
    CodesPanel* codes_;
    ObdPanel* obd_;
    Panel* controllerPanel_;
    Panel* sheetPanel_;
    BuildSheetForm* sheet_;
    QTimer busTimer_;
};

}  // namespace brusk::app
