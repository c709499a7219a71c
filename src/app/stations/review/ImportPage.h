// How somebody else's file will be read, on one page: what was guessed of it, its columns, its first rows, and where it
// goes.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QComboBox>
#include <QFormLayout>
#include <QTableView>

#include "app/widgets/Panels.h"

namespace brusk::app {

class Desks;

class ImportPage : public QWidget {
    Q_OBJECT
  public:
    explicit ImportPage(Desks& desks, QWidget* parent = nullptr);

  private:
    QWidget* makeSide();
    QWidget* makeTables();
    void refresh();
    void refreshPoints();
    void refreshButtons();
    void refreshRounds();
    void chooseDbc();

    Desks& desks_;
    ElidedLabel* what_;
    QLabel* refusal_;
    QFormLayout* points_;
    QString pointsShown_;  ///< which points have a row
    QComboBox* round_;
    QPushButton *keep_, *look_, *dbc_, *again_;
    QTableView *columns_, *rows_;
};

}  // namespace brusk::app
