// How the link stands, and what runs on it.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QString>
#include <exception>

#include "core/base/Result.h"

namespace brusk::link {
struct Progress;
}

namespace brusk::app {

enum class LinkState { Closed, Connecting, Open, Lost };

/// One at a time, each with a stop of its own.
enum class Task { None, Connect, AskIdentity, Read, Flash, Compare, Codes, Obd, Listen, Drive };
/// As the footer says it.
QString taskTitle(Task task);
/// What is said where something came up that nobody expected.
Error brokenError(const std::exception& problem);
/// A long job's progress in one line: step, amount, rate, time left, retries.
QString progressText(const link::Progress& progress);

}  // namespace brusk::app
