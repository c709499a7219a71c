// The one thread that talks to a link. It owns the port (and the bench car behind it); work is handed to it as tasks.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <condition_variable>
#include <deque>
#include <functional>
#include <memory>
#include <mutex>
#include <optional>
#include <thread>

#include "core/link/Traffic.h"

namespace brusk::app {

struct BenchOrders;
class LinkParts;

class LinkThread {
  public:
    using Task = std::function<void(LinkParts&)>;

    explicit LinkThread(std::unique_ptr<LinkParts> port);
    /// Finishes the task that runs, forgets the others, closes the link.
    ~LinkThread();
    LinkThread(const LinkThread&) = delete;
    LinkThread& operator=(const LinkThread&) = delete;

    void post(Task task);
    bool hasBenchCar() const { return hasBenchCar_; }
    /// Pulls or plugs the bench car's cable, from any thread.
    void setCable(bool plugged);
    /// Weather, fuel and faults of the bench car, from any thread; acts while it drives.
    Done order(const BenchOrders& orders);
    /// What the port said of its bus when it was last in use, and the share of the wire in use.
    link::PortStatus status() const;
    const link::TrafficLog& traffic() const { return *traffic_; }
    std::shared_ptr<const link::TrafficLog> sharedTraffic() const { return traffic_; }

  private:
    void run();
    /// Looks at the bus while nothing else is asked of it.
    void listen();

    std::unique_ptr<LinkParts> port_;
    std::shared_ptr<link::TrafficLog> traffic_;
    bool hasBenchCar_;
    mutable std::mutex mutex_;  // guards tasks_, stopping_ and status_
    link::PortStatus status_;
    std::condition_variable wake_;
    std::deque<Task> tasks_;
    bool stopping_ = false;
    std::thread thread_;
};

}  // namespace brusk::app
