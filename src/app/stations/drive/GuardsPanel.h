// What is watched while somebody drives, and when a recording begins by itself.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QDoubleSpinBox>
#include <QLineEdit>
#include <QListWidget>

#include "app/widgets/Panels.h"
#include "core/base/Result.h"

namespace brusk::app {

class WatchDesk;

class GuardsPanel : public QWidget {
    Q_OBJECT
  public:
    explicit GuardsPanel(WatchDesk& desk);
    void refresh();
    void setEditable(bool editable);
    /// "6 of 7 guards".
    QString summary() const { return summary_; }

  signals:
    void refreshed();

  protected:
    bool eventFilter(QObject* watched, QEvent* event) override;
    void showEvent(QShowEvent* event) override;

  private:
    void add();
    void arm();
    void say(const Error& error);

    WatchDesk& desk_;
    QListWidget* list_;
    QLineEdit* own_;
    QLineEdit* arm_;
    QDoubleSpinBox* before_;
    ElidedLabel* problem_;
    ElidedLabel* silent_;
    QString summary_;
    bool filling_ = false;
};

}  // namespace brusk::app
