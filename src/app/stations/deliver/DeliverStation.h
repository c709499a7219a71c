// Deliver: for now the calibration as an Intel HEX file; the report and the sealed calibration will come here.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/desks/Desks.h"
#include "app/widgets/Panels.h"

namespace brusk::app {

class DeliverStation : public Station {
    Q_OBJECT
  public:
    DeliverStation(Desks& desks, QWidget* parent = nullptr);
    void shown() override { refresh(); }

  private:
    void refresh();
    void exportHex();

    Desks& desks_;
    Facts* facts_;
    QLabel* written_;
};

}  // namespace brusk::app
