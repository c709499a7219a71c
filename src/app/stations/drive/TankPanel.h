// What the drive is driven in: what is in the tank, what else a reader should know. Asked once a car where neither
// somebody nor the build sheet has told it.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QDoubleSpinBox>
#include <QLineEdit>

#include "app/widgets/Panels.h"

namespace brusk::app {

class WatchDesk;
}
namespace brusk::carfolder {
struct Conditions;
}
namespace brusk::app {

class TankPanel : public QWidget {
    Q_OBJECT
  public:
    explicit TankPanel(WatchDesk& desk);
    void refresh();
    /// Asks; Enter answers with what stands there.
    void ask();
    /// It records: nothing is asked any more.
    void answerIsKnown();

  signals:
    /// It was asked and is told.
    void answered();

  protected:
    void showEvent(QShowEvent* event) override;

  private:
    void keep();
    /// Whether it could be kept.
    bool tell(const carfolder::Conditions& tank);

    WatchDesk& desk_;
    QLabel* question_;
    QLineEdit* fuel_;
    QDoubleSpinBox* octane_;
    QDoubleSpinBox* ethanol_;
    QLineEdit* note_;
    QPushButton* answer_;
    ElidedLabel* problem_;
    bool filling_ = false;
};

}  // namespace brusk::app
