// Which channels a drive records, and how often each: by what it is for, by a set that was kept, or one by one; and
// what that costs the link.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QComboBox>
#include <QListWidget>
#include <QToolButton>

#include "app/stations/drive/DrivePresenter.h"
#include "app/widgets/Panels.h"

namespace brusk::app {

class ChannelsPanel : public QWidget {
    Q_OBJECT
  public:
    explicit ChannelsPanel(DrivePresenter& presenter);
    /// Those that are ticked, what matters most first; without a name.
    job::KeptSet chosen() const;
    /// Once the controller is known, or is another.
    void fill();
    void setEditable(bool editable);

  private:
    QHBoxLayout* makeHead();
    QHBoxLayout* makeFoot();
    void choosePurposes();
    void chooseSet(const job::KeptSet& set);
    void fillSets();
    /// Ticks these; how often each is asked for is as wished, else as proposed.
    void tick(const job::KeptSet& set);
    void showPaces();
    void choosePace(int index);
    void leaveOut();
    void refreshCost();
    link::Pace paceOf(const std::string& channel) const;

    DrivePresenter& presenter_;
    QLabel* cost_;
    QToolButton* purpose_;
    QToolButton* sets_;
    QListWidget* channels_;
    QComboBox* rate_;
    QPushButton* leaveOut_;
    ElidedLabel* lacks_;
    std::vector<DrivePresenter::Channel> known_;  ///< as they stand in the list
    std::vector<std::string> wanted_;             ///< what the purposes or the set want, what matters most first
    job::PaceWishes paces_;
    std::vector<std::string> tooMany_;
};

}  // namespace brusk::app
