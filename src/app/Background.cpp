// A pool that works, and the way back to the interface thread.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/Background.h"

#include <algorithm>

namespace brusk::app {

void InterfaceCalls::post(std::function<void()> call) {
    bool first = false;
    {
        const std::lock_guard lock(mutex_);
        first = waiting_.empty();
        waiting_.push_back(std::move(call));
    }
    // One knock is on its way as long as anything waits.
    if (first) knock();
}

void InterfaceCalls::knock() {
    // By name: what travels through Qt's queue is then made and read by Qt alone.
    QMetaObject::invokeMethod(this, "makeOne", Qt::QueuedConnection);
}

void InterfaceCalls::makeOne() {
    std::function<void()> call;
    bool more = false;
    {
        const std::lock_guard lock(mutex_);
        call = std::move(waiting_.front());
        waiting_.pop_front();
        more = !waiting_.empty();
    }
    // Before the call: it may throw, or open a dialog that stays.
    if (more) knock();
    call();
}

WorkPool::WorkPool() {
    for (unsigned i = 0; i < std::max(2u, std::thread::hardware_concurrency()); ++i)
        threads_.emplace_back([this] { run(); });
}

WorkPool::~WorkPool() {
    {
        const std::lock_guard lock(mutex_);
        closing_ = true;
    }
    wake_.notify_all();
    for (std::thread& thread : threads_)
        thread.join();
}

void WorkPool::post(std::function<void()> work) {
    {
        const std::lock_guard lock(mutex_);
        waiting_.push_back(std::move(work));
    }
    wake_.notify_one();
}

void WorkPool::run() {
    while (true) {
        std::function<void()> work;
        {
            std::unique_lock lock(mutex_);
            wake_.wait(lock, [&] { return closing_ || !waiting_.empty(); });
            if (waiting_.empty()) return;
            work = std::move(waiting_.front());
            waiting_.pop_front();
        }
        work();
    }
}

}  // namespace brusk::app
