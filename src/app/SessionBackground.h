// Session::inBackground: work on the pool, then back on the interface thread.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <memory>
#include <optional>

#include "app/Session.h"

namespace brusk::app {

/// What the pool's root makes of an exception: an Error where the work returns one, else nothing.
template <class T>
struct Caught {
    static std::optional<T> from(const Error&) { return std::nullopt; }
};
template <class V>
struct Caught<Result<V>> {
    static std::optional<Result<V>> from(const Error& error) { return Result<V>(tl::unexpected(error)); }
};

template <class T>
void Session::inBackground(std::function<T()> work, std::function<void(T)> then) {
    // The session waits for its pool before it goes, and forgets what has not come back by then.
    pool_->post([this, work = std::move(work), then = std::move(then)]() mutable {
        auto result = std::make_shared<std::optional<T>>();
        QString broken;
        try {
            *result = work();
        } catch (const std::exception& problem) {
            const Error error{ErrorCode::Broken, std::string("Something unexpected stopped a computation: ") +
                                                     problem.what() + ". Nothing was changed."};
            *result = Caught<T>::from(error);
            if (!*result) broken = QString::fromStdString(error.message);
        }
        calls_.post([this, result, broken, then = std::move(then)] {
            if (!broken.isEmpty()) say(broken, true);
            if (*result) then(std::move(**result));
        });
    });
}

}  // namespace brusk::app
