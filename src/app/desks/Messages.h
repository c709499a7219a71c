// What the window tells its user in a sentence: anybody says it, the shell shows it.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QObject>

#include "core/base/Result.h"

namespace brusk::app {

class Messages : public QObject {
    Q_OBJECT
  public:
    using QObject::QObject;

    void say(const QString& sentence, bool alarm = false) { emit said(sentence, alarm); }
    /// An alarm, unless somebody cancelled.
    void failed(const Error& error) { say(QString::fromStdString(error.text()), error.code != ErrorCode::Cancelled); }
    /// What was found; a failure is said, and then it is nothing.
    template <class T>
    T orSay(Result<T> result) {
        if (result) return std::move(*result);
        failed(result.error());
        return {};
    }

  signals:
    void said(const QString& sentence, bool alarm);
};

}  // namespace brusk::app
