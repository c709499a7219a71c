// Tasks and their progress in words.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/desks/LinkFacts.h"

#include "core/link/Transfer.h"

namespace brusk::app {

QString taskTitle(Task task) {
    static constexpr const char* titles[] = {"",
                                             QT_TR_NOOP("Connecting"),
                                             QT_TR_NOOP("Asking the controller"),
                                             QT_TR_NOOP("Reading"),
                                             QT_TR_NOOP("Flashing"),
                                             QT_TR_NOOP("Comparing with the ledger"),
                                             QT_TR_NOOP("Reading trouble codes"),
                                             QT_TR_NOOP("Asking the car"),
                                             QT_TR_NOOP("Listening on the bus"),
                                             QT_TR_NOOP("Driving")};
    return QObject::tr(titles[static_cast<int>(task)]);
}

Error brokenError(const std::exception& problem) {
    return {ErrorCode::Broken, std::string("Something unexpected stopped this step: ") + problem.what() +
                                   ". What was done before is kept; look at it, then try again."};
}

QString progressText(const link::Progress& p) {
    QString step = QString::fromStdString(p.step);
    if (p.waitsForPerson) return step;
    QString out = QObject::tr("%1  %2 of %3 KiB").arg(step).arg(p.done / 1024).arg(p.total / 1024);
    if (const auto left = p.secondsLeft())
        out += QObject::tr(", %1 KiB/s, %2 s left").arg(p.rate() / 1024, 0, 'f', 1).arg(*left, 0, 'f', 0);
    if (p.retries) out += (p.retries == 1 ? QObject::tr(", %1 retry") : QObject::tr(", %1 retries")).arg(p.retries);
    return out;
}

}  // namespace brusk::app
