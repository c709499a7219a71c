// The page at the other end: from whom, for which car, what may be done, and one button.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/widgets/Panels.h"

namespace brusk::app {

class DeliverDesk;
struct Incoming;

class IncomingPanel : public Panel {
    Q_OBJECT
  public:
    explicit IncomingPanel(DeliverDesk& desk);

  private:
    void refresh();
    void showSealed(const Incoming& incoming);
    void showParcel(const Incoming& incoming);

    DeliverDesk& desk_;
    Facts* facts_;
    QLabel* honest_;
    QLabel* refusal_;
    QWidget* buttons_;
    QPushButton* trust_;
};

}  // namespace brusk::app
