// What happens in a recording, kind by kind; one that is chosen leads to its moment.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QTreeWidget>

#include "core/evidence/Events.h"

namespace brusk::app {

class EventList : public QTreeWidget {
    Q_OBJECT
  public:
    explicit EventList(QWidget* parent = nullptr);
    /// `events` must stay until others are shown.
    void show(const evidence::DriveEvents& events);
    /// The one under the cursor; null where a kind is.
    const evidence::FoundEvent* current() const;

  signals:
    void chosen();

  private:
    const evidence::DriveEvents* events_ = nullptr;
};

}  // namespace brusk::app
