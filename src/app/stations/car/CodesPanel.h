// Trouble codes: the list, what was frozen with the chosen one, and the parameters that switch and limit it.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QListWidget>

#include "app/desks/Desks.h"
#include "app/widgets/Panels.h"

namespace brusk::app {

class CodesPanel : public Panel {
    Q_OBJECT
  public:
    explicit CodesPanel(Desks& desks);

  private:
    void refreshButtons();
    void refreshList();
    void refreshDetail();

    Desks& desks_;
    QPushButton* read_;
    QPushButton* clear_;
    QLabel* empty_;
    QListWidget* list_;
    QWidget* detail_;
    QVBoxLayout* detailBody_;
};

}  // namespace brusk::app
