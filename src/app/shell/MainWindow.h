// The window: header with the stations in working order, the ledger, the station, the footer. It wires, nothing else.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QLabel>
#include <QMainWindow>
#include <QStackedWidget>
#include <QTimer>
#include <QToolButton>

#include "app/desks/Desks.h"
#include "app/shell/Ledger.h"
#include "app/widgets/Panels.h"

namespace brusk::app {

class FindAnything;
class NextFoot;

class SealedPage;

class MainWindow : public QMainWindow {
    Q_OBJECT
  public:
    explicit MainWindow(Desks& desks, QWidget* parent = nullptr);
    /// "Car", "Base", "Maps", "Drive", "Review", "Correct", "Flash", "Deliver".
    void showStation(const QString& name);
    Station* station(const QString& name) const;
    Ledger* ledger() { return ledger_; }

  private:
    void makeFindAnything();
    QWidget* makeHeader();
    QWidget* makeFooter();
    void addStation(const QString& name, Station* station, QHBoxLayout* tabs);
    void refreshLink();
    void refreshTask();
    void refreshNext();
    /// Its station, or what stands in its place.
    void showPage(int at);
    void narrowLedger();
    void say(const QString& sentence, bool alarm);
    void openFolder();
    /// Refused while a flash runs.
    void closeEvent(QCloseEvent* event) override;
    void dragEnterEvent(QDragEnterEvent* event) override;
    /// A recording goes to Review, what came from others to Deliver.
    void dropEvent(QDropEvent* event) override;
    void newFolder();

    Desks& desks_;
    QLabel* carName_;
    QLabel* linkDot_;
    QLabel* linkText_;
    QLabel* voltage_;
    QLabel* inTheCar_;
    QLabel* task_;
    QLabel* hint_;
    QFrame* messageBar_;
    QLabel* message_;
    FindAnything* anything_ = nullptr;
    QTimer messageTimer_;
    Ledger* ledger_;
    NextFoot* next_;
    SealedPage* sealed_;
    QStackedWidget* stack_;
    QHBoxLayout* tabs_ = nullptr;
    QList<QPair<QString, Station*>> stations_;
    QList<QToolButton*> buttons_;
};

}  // namespace brusk::app
