// Deliver: the round as a file, sealed for somebody far away, and what came from them; the whole folder in one file.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QComboBox>
#include <QLineEdit>

#include "app/desks/Desks.h"
#include "app/widgets/Panels.h"

namespace brusk::app {

class IncomingPanel;
class KeyPanel;
class ReportPanel;
class SealPanel;

class DeliverStation : public Station {
    Q_OBJECT
  public:
    DeliverStation(Desks& desks, QWidget* parent = nullptr);
    void shown() override { refresh(); }
    QString hint() const override;

  protected:
    void dragEnterEvent(QDragEnterEvent* event) override;
    void dropEvent(QDropEvent* event) override;

  private:
    QWidget* makeRoundPanel();
    QWidget* makeDrivesPanel();
    void refresh();
    void act();
    void openFile(const QString& path);
    void makeReport();
    void closeReport();
    void exportRound(const char* ending);

    Desks& desks_;
    Facts* facts_;
    QLabel* written_;
    QWidget* exports_;
    QLineEdit* givenTo_;
    SealPanel* seal_;
    QWidget* columns_;
    ReportPanel* report_;
    int reported_ = 0;  ///< number of the round that the report shown is on
    QComboBox* receiver_;
    QPushButton* parcel_;
    QLineEdit* parcelNote_;
};

}  // namespace brusk::app
