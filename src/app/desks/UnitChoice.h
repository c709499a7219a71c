// The units in which the user wants to read, kept for every car; the fuel's stoichiometric ratio comes from the tank.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QObject>

#include "core/units/Units.h"

namespace brusk::app {

class UnitChoice : public QObject {
    Q_OBJECT
  public:
    explicit UnitChoice(QObject* parent = nullptr);

    const units::Preferences& preferences() const { return preferences_; }
    /// Only the wanted units are taken; the fuel is the build sheet's.
    void choose(const units::Preferences& preferences);
    void setStoichiometric(double ratio);

  signals:
    void changed();

  private:
    units::Preferences preferences_;
};

}  // namespace brusk::app
