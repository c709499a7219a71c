// Which channels a drive records: by what it is for, or one by one; and what that costs the link.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QListWidget>
#include <QToolButton>

#include "app/stations/drive/DrivePresenter.h"
#include "app/widgets/Panels.h"

namespace brusk::app {

class ChannelsPanel : public QWidget {
    Q_OBJECT
  public:
    explicit ChannelsPanel(DrivePresenter& presenter);
    /// Names of those that are ticked.
    std::vector<std::string> chosen() const;
    /// Once the controller is known.
    void fill();
    void setEditable(bool editable);

  private:
    void choosePurposes();
    void refreshCost();

    DrivePresenter& presenter_;
    QLabel* cost_;
    QToolButton* purpose_;
    QListWidget* channels_;
    ElidedLabel* lacks_;
};

}  // namespace brusk::app
