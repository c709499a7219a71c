// The unit of each quantity.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QComboBox>
#include <QDialog>
#include <QMap>

#include "app/Session.h"

namespace brusk::app {

class UnitsDialog : public QDialog {
    Q_OBJECT
  public:
    explicit UnitsDialog(Session& session, QWidget* parent = nullptr);

  private:
    void take();
    Session& session_;
    QMap<int, QComboBox*> boxes_;
};

}  // namespace brusk::app
