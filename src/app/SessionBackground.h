// Session::inBackground: work on the pool, then back on the interface thread.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QPointer>
#include <QThreadPool>
#include <memory>

#include "app/Session.h"

namespace brusk::app {

template <class T>
void Session::inBackground(std::function<T()> work, std::function<void(T)> then) {
    QPointer<Session> self(this);
    QThreadPool::globalInstance()->start(
        [self, work = std::move(work), then = std::move(then), context = this]() mutable {
            auto result = std::make_shared<T>(work());
            // The session waits for the pool before it goes, so the context is there.
            QMetaObject::invokeMethod(
                context,
                [self, result, then = std::move(then)] {
                    if (self) then(std::move(*result));
                },
                Qt::QueuedConnection);
        });
}

}  // namespace brusk::app
