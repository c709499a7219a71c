// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/LinkThread.h"

namespace brusk::app {

void LinkParts::obeyOrders() {
    if (!car) return;
    const std::lock_guard lock(ordersMutex);
    if (!orders) return;
    car->plant().setWeather(orders->weather);
    car->plant().setFuel(orders->fuel);
    car->faults() = orders->faults;
    orders.reset();
}

LinkThread::LinkThread(std::unique_ptr<LinkParts> port)
    : port_(std::move(port)), hasBenchCar_(port_->car != nullptr), thread_([this] { run(); }) {}

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
    if (port_->bus) port_->bus->setConnected(plugged);
}

void LinkThread::order(const BenchOrders& orders) {
    const std::lock_guard lock(port_->ordersMutex);
    port_->orders = orders;
}

void LinkThread::run() {
    while (true) {
        Task task;
        {
            // The bench car stands still while nobody asks anything of it.
            std::unique_lock lock(mutex_);
            wake_.wait(lock, [&] { return stopping_ || !tasks_.empty(); });
            if (stopping_) return;
            task = std::move(tasks_.front());
            tasks_.pop_front();
        }
        task(*port_);
    }
}

}  // namespace brusk::app
