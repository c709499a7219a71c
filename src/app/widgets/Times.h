// Moments and lengths as every station writes them: the ledger keeps UTC, people read their own clock.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QDateTime>
#include <QString>

#include <string>

namespace brusk::app {

/// A moment in UTC as the ledger has it, on the user's clock; not valid where the text is none.
QDateTime localTime(const std::string& utc);

/// "14:05" where the user is; the text itself when it is no moment.
QString timeOfDay(const std::string& utc);

/// "2:07" of 127.9 s; whole minutes are not turned into hours.
QString minutesText(double seconds);

}  // namespace brusk::app
