// Who sits here and whom they trust: the key, the card to hand out, the cards of others.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QLineEdit>

#include "app/widgets/Panels.h"

namespace brusk::app {

class DeliverDesk;

class KeyPanel : public Panel {
    Q_OBJECT
  public:
    explicit KeyPanel(DeliverDesk& desk);

  private:
    void refresh();
    void makeMaking();
    void makeOwn();
    void makeOthers();

    DeliverDesk& desk_;
    QWidget* making_;  ///< no key yet, or one that is not open
    QLabel* makingText_;
    QLineEdit* name_;
    QLineEdit* passphrase_;
    QPushButton* make_;
    QWidget* own_;
    QLabel* who_;
    QLabel* digits_;
    QPushButton* showQr_;
    QLabel* qr_;
    QWidget* changed_;
    QLabel* changedText_;
    QVBoxLayout* others_;
};

}  // namespace brusk::app
