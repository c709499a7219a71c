// Threads of the window besides the link's: a pool that works, and the way back to the interface thread.
//
// Both hand over behind a std::mutex of ours, so that what one thread wrote before is seen by the other after, and a
// thread check can follow it.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QObject>
#include <condition_variable>
#include <deque>
#include <functional>
#include <mutex>
#include <thread>
#include <vector>

namespace brusk::app {

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

}  // namespace brusk::app
