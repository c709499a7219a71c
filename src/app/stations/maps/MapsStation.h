// Maps: find a parameter, look at it as grid and profiles, edit it.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QLineEdit>
#include <QTreeWidget>

#include "app/Session.h"
#include "app/widgets/MapGrid.h"
#include "app/widgets/Panels.h"
#include "app/widgets/ProfileView.h"

namespace brusk::app {

class MapsStation : public Station {
    Q_OBJECT
  public:
    MapsStation(Session& session, QWidget* parent = nullptr);
    QString hint() const override {
        return "type a number, +2, x1.05 or -3% \u00b7 arrows move \u00b7 Shift extends \u00b7 Ctrl+Z undoes";
    }
    void shown() override { finder_->setFocus(); }
    void open(const QString& parameter);

  private:
    void makeFinder(QHBoxLayout* row);
    void makeBench(QHBoxLayout* row);
    void makeCard(QHBoxLayout* row);
    void find();
    void reload();
    void refreshCard();
    void refreshProfiles();
    void refreshRing();
    void operate(const QString& text);
    void askAmount(const QString& prefix, const QString& suffix);
    GridContents contentsOf(const calibration::Table& table) const;

    Session& session_;
    QString parameter_;
    calibration::Table table_;
    std::optional<calibration::Table> reference_;
    QLineEdit* finder_;
    QTreeWidget* tree_;
    QLabel* name_;
    QLabel* axes_;
    QLabel* selection_;
    QLineEdit* amount_;
    QLineEdit* text_;
    QPushButton *set_, *add_, *scale_, *undo_, *redo_;
    MapGrid* grid_;
    ProfileView* across_;
    ProfileView* down_;
    QWidget* bench_;
    QLabel* description_;
    Facts* facts_;
    QLabel* empty_;
};

}  // namespace brusk::app
