// What any car tells without a profile: identity, live values, codes and freeze frame by OBD.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QTableWidget>
#include <QTimer>

#include "app/desks/Desks.h"
#include "app/widgets/Panels.h"

namespace brusk::app {

class ObdPanel : public Panel {
    Q_OBJECT
  public:
    explicit ObdPanel(Desks& desks);

  private:
    void refresh();

    Desks& desks_;
    Facts* vehicle_;
    QLabel* codes_;
    QPushButton* clear_;
    QTableWidget* values_;
    QTimer again_;
};

}  // namespace brusk::app
