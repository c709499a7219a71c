// Tasks and their progress in words.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/desks/LinkFacts.h"

#include "core/link/Transfer.h"

namespace brusk::app {

QString taskTitle(Task task) {
    static constexpr const char* titles[] = {"",
                                             "Connecting",
                                             "Asking the controller",
                                             "Reading",
                                             "Flashing",
                                             "Comparing with the ledger",
                                             "Reading trouble codes",
                                             "Asking the car",
                                             "Driving"};
    return titles[static_cast<int>(task)];
}

QString progressText(const link::Progress& p) {
    QString step = QString::fromStdString(p.step);
    if (p.waitsForPerson) return step;
    QString out = QString("%1  %2 of %3 KiB").arg(step).arg(p.done / 1024).arg(p.total / 1024);
    if (const auto left = p.secondsLeft())
        out += QString(", %1 KiB/s, %2 s left").arg(p.rate() / 1024, 0, 'f', 1).arg(*left, 0, 'f', 0);
    if (p.retries) out += QString(", %1 %2").arg(p.retries).arg(p.retries == 1 ? "retry" : "retries");
    return out;
}

}  // namespace brusk::app
