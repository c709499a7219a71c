// The ledger's UTC becomes the user's clock here and nowhere else.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/widgets/Times.h"

namespace brusk::app {

QDateTime localTime(const std::string& utc) {
    return QDateTime::fromString(QString::fromStdString(utc), Qt::ISODate).toLocalTime();
}

QString timeOfDay(const std::string& utc) {
    const QDateTime moment = localTime(utc);
    return moment.isValid() ? moment.toString("HH:mm") : QString::fromStdString(utc);
}

QString minutesText(double seconds) {
    const int whole = static_cast<int>(seconds);
    return QString("%1:%2").arg(whole / 60).arg(whole % 60, 2, 10, QChar('0'));
}

}  // namespace brusk::app
