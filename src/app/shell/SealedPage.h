// What stands in place of a station that shows values, while the selected round came sealed.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/widgets/Panels.h"

namespace brusk::app {

class Desks;

class SealedPage : public Station {
    Q_OBJECT
  public:
    explicit SealedPage(Desks& desks);
    /// Whether it stands in for this station now.
    bool standsFor(const QString& station) const;
    /// Takes the look of the station it stands for.
    void standFor(const QString& station);

  private:
    Desks& desks_;
    QLabel* why_;
    Facts* facts_;
};

}  // namespace brusk::app
