// What runs on the link. SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QString>

namespace brusk::app {

/// One at a time, each with a stop of its own.
enum class Task { None, Connect, AskIdentity, Read, Flash, Compare, Codes, Obd, Drive };
/// As the footer says it.
QString taskTitle(Task task);

}  // namespace brusk::app
