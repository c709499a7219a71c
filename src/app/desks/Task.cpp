// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/desks/Task.h"

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

}  // namespace brusk::app
