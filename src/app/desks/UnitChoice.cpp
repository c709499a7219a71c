// Kept in the user's settings, for every car.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/desks/UnitChoice.h"

#include <QSettings>

namespace brusk::app {

UnitChoice::UnitChoice(QObject* parent) : QObject(parent) {
    preferences_.wanted =
        units::Preferences::fromText(QSettings("Brusk", "Brusk").value("units").toString().toStdString()).wanted;
}

void UnitChoice::choose(const units::Preferences& preferences) {
    if (preferences.wanted == preferences_.wanted) return;
    preferences_.wanted = preferences.wanted;
    QSettings("Brusk", "Brusk").setValue("units", QString::fromStdString(preferences_.text()));
    emit changed();
}

void UnitChoice::setStoichiometric(double ratio) {
    if (preferences_.stoichiometric == ratio) return;
    preferences_.stoichiometric = ratio;
    emit changed();
}

}  // namespace brusk::app
