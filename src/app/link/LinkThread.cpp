// Takes tasks in their order; between them it listens to a real bus and lets the bench car stand still.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/link/LinkThread.h"

#include "app/link/LinkParts.h"

#include <chrono>
#include <cstdio>

namespace brusk::app {

namespace {
constexpr int64_t kListen_us = 50000;
constexpr std::chrono::milliseconds kRest{500};
}  // namespace

LinkThread::LinkThread(std::unique_ptr<LinkParts> port)
    : port_(std::move(port)), traffic_(port_->traffic()), hasBenchCar_(port_->hasBenchCar()) {
    port_->watchTraffic();
    status_ = port_->port().status();
    thread_ = std::thread([this] { run(); });
}

LinkThread::~LinkThread() {
    {
        const std::lock_guard lock(mutex_);
        stopping_ = true;
        tasks_.clear();
    }
    wake_.notify_all();
    thread_.join();
}

void LinkThread::post(Task task) {
    {
        const std::lock_guard lock(mutex_);
        tasks_.push_back(std::move(task));
    }
    wake_.notify_all();
}

void LinkThread::setCable(bool plugged) {
    port_->setCable(plugged);
}

Done LinkThread::order(const BenchOrders& orders) {
    return port_->order(orders);
}

link::PortStatus LinkThread::status() const {
    const std::lock_guard lock(mutex_);
    return status_;
}

void LinkThread::listen() {
    link::CanPort& port = port_->port();
    // What fails here fails again when something is asked; the status tells of it meanwhile.
    (void)port.receive(port.now_us() + kListen_us);
    link::PortStatus status = port.status();
    std::unique_lock lock(mutex_);
    const bool down = status.state == link::BusState::Down;
    status_ = std::move(status);
    if (down) wake_.wait_for(lock, kRest, [&] { return stopping_ || !tasks_.empty(); });
}

void LinkThread::run() {
    while (true) {
        Task task;
        {
            std::unique_lock lock(mutex_);
            // The bench car stands still while nobody asks anything of it; a real bus goes on.
            if (hasBenchCar_) wake_.wait(lock, [&] { return stopping_ || !tasks_.empty(); });
            if (stopping_) return;
            if (!tasks_.empty()) {
                task = std::move(tasks_.front());
                tasks_.pop_front();
            }
        }
        if (!task) {
            listen();
            continue;
        }
        // A task catches what its work throws (LinkDesk::run); a watcher of the bus must not end the program
        // either.
        try {
            task(*port_);
        } catch (const std::exception& problem) {
            std::fprintf(stderr, "A task on the link stopped: %s\n", problem.what());
        }
        link::PortStatus status = port_->port().status();
        const std::lock_guard lock(mutex_);
        status_ = std::move(status);
    }
}

}  // namespace brusk::app
