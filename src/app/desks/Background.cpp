// A pool that works, and the way back to the interface thread.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/desks/Background.h"

#include <algorithm>

#include "app/desks/Messages.h"

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

Background::Newest Background::askedBy(const QObject* owner, int question) {
    auto& newest = newest_[{owner, question}];
    if (newest) return newest;
    newest = std::make_shared<std::atomic<uint64_t>>(1);
    QObject::connect(owner, &QObject::destroyed, &calls_, [this, owner, question] {
        const auto gone = newest_.extract({owner, question});
        if (!gone.empty()) ++*gone.mapped();
    });
    return newest;
}

void Background::saySomethingBroke(const std::string& sentence) {
    messages_.say(QString::fromStdString(sentence), true);
}

Error Background::brokenError(const std::exception& problem) {
    return {ErrorCode::Broken,
            std::string("Something unexpected stopped a computation: ") + problem.what() + ". Nothing was changed."};
}

}  // namespace brusk::app
