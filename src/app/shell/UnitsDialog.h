// The unit of each quantity.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QComboBox>
#include <QDialog>
#include <QMap>

#include "app/desks/Desks.h"

namespace brusk::app {

class UnitsDialog : public QDialog {
    Q_OBJECT
  public:
    explicit UnitsDialog(Desks& desks, QWidget* parent = nullptr);

  private:
    void take();
    Desks& desks_;
    QMap<int, QComboBox*> boxes_;
};

}  // namespace brusk::app
