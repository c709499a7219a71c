// Threads of the window besides the link's: a pool that works, and the way back to the interface thread.
//
// Both hand over behind a std::mutex of ours, so that what one thread wrote before is seen by the other after, and a
// thread check can follow it.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QObject>
#include <atomic>
#include <condition_variable>
#include <deque>
#include <functional>
#include <map>
#include <memory>
#include <mutex>
#include <optional>
#include <thread>
#include <type_traits>
#include <vector>

#include "core/base/Result.h"

namespace brusk::app {

class Messages;

/// Calls from any thread, made in their order on the thread this lives on. Those still waiting when it goes are
/// forgotten; whoever posts must be done by then.
class InterfaceCalls : public QObject {
    Q_OBJECT
  public:
    void post(std::function<void()> call);

  private:
    Q_INVOKABLE void makeOne();
    void knock();

    std::mutex mutex_;  // guards waiting_
    std::deque<std::function<void()>> waiting_;
};

/// As many threads as the machine has cores, at least two. The work may not throw.
class WorkPool {
  public:
    WorkPool();
    /// Does what waits, then goes.
    ~WorkPool();
    WorkPool(const WorkPool&) = delete;
    WorkPool& operator=(const WorkPool&) = delete;

    void post(std::function<void()> work);

  private:
    void run();

    std::mutex mutex_;  // guards waiting_ and closing_
    std::condition_variable wake_;
    std::deque<std::function<void()>> waiting_;
    bool closing_ = false;
    std::vector<std::thread> threads_;
};

/// What the pool's root makes of an exception: an Error where the work returns one, else nothing.
template <class T>
struct Caught {
    static std::optional<T> from(const Error&) { return std::nullopt; }
};
template <class V>
struct Caught<Result<V>> {
    static std::optional<Result<V>> from(const Error& error) { return Result<V>(tl::unexpected(error)); }
};

/// Work off the interface thread. Asked on that thread; the answer comes there too, and is dropped when the asker is
/// gone by then. An exception becomes an Error where the work returns a Result, else it is said.
class Background {
  public:
    explicit Background(Messages& messages) : messages_(messages) {}
    Background(const Background&) = delete;
    Background& operator=(const Background&) = delete;

    /// The newest answer wins: whatever `owner` asked under the same `question` before is not begun any more, or its
    /// answer dropped.
    template <class Work, class Then>
    void latest(const QObject* owner, Work work, Then then, int question = 0) {
        auto newest = askedBy(owner, question);
        ask(std::move(work), std::move(then), newest, ++*newest);
    }
    /// Every answer comes, in the order in which they are ready.
    template <class Work, class Then>
    void each(const QObject* owner, Work work, Then then) {
        constexpr int kEach = -1;
        auto alive = askedBy(owner, kEach);
        ask(std::move(work), std::move(then), alive, alive->load());
    }
    /// For other threads' way back.
    InterfaceCalls& calls() { return calls_; }

  private:
    using Newest = std::shared_ptr<std::atomic<uint64_t>>;
    /// The number of the newest question of an owner; another number once the owner is gone.
    Newest askedBy(const QObject* owner, int question);
    void saySomethingBroke(const std::string& sentence);
    static Error brokenError(const std::exception& problem);

    template <class Work, class Then>
    void ask(Work work, Then then, const Newest& newest, uint64_t mine) {
        using T = std::invoke_result_t<Work>;
        pool_.post([this, newest, mine, work = std::move(work), then = std::move(then)]() mutable {
            if (*newest != mine) return;
            auto result = std::make_shared<std::optional<T>>();
            std::string broken;
            try {
                *result = work();
            } catch (const std::exception& problem) {
                const Error error = brokenError(problem);
                *result = Caught<T>::from(error);
                if (!*result) broken = error.message;
            }
            calls_.post([this, newest, mine, result, broken, then = std::move(then)]() mutable {
                if (!broken.empty()) saySomethingBroke(broken);
                if (*result && *newest == mine) then(std::move(**result));
            });
        });
    }

    Messages& messages_;
    std::map<std::pair<const QObject*, int>, Newest> newest_;
    InterfaceCalls calls_;
    WorkPool pool_;  // last: it is done before the way back goes
};

}  // namespace brusk::app
