// The one thread that talks to a link. It owns the port (and the bench car behind it); work is handed to it as tasks.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <atomic>
#include <condition_variable>
#include <deque>
#include <functional>
#include <memory>
#include <mutex>
#include <optional>
#include <thread>

#include "benchcar/VirtualBus.h"
#include "core/link/Traffic.h"

namespace brusk::app {

/// What the bench car's operator wants: set on the interface thread, taken by the link thread when it next may.
struct BenchOrders {
    benchcar::Weather weather;
    benchcar::Fuel fuel = benchcar::kHeronFitted.fuel;
    benchcar::Faults faults;
};

/// An open link. Touched by the link thread only, but for `bus`'s cable, which is safe from anywhere.
struct LinkParts {
    std::unique_ptr<benchcar::BenchCar> car;  ///< with the bench car in this process
    std::unique_ptr<benchcar::VirtualBus> bus;
    std::unique_ptr<benchcar::PacedBus> paced;
    std::unique_ptr<link::CanPort> socket;  ///< with another process, or an interface of the kernel
    std::shared_ptr<link::TrafficLog> traffic = std::make_shared<link::TrafficLog>();
    /// Lets the traffic log see every frame.
    void watchTraffic();
    std::mutex ordersMutex;  // guards orders
    std::optional<BenchOrders> orders;
    /// Carries out what the operator wants since the last time.
    void obeyOrders();
    link::CanPort& port() { return paced ? static_cast<link::CanPort&>(*paced) : *socket; }
    void setTimeLapse(double lapse) {
        if (paced) paced->setTimeLapse(lapse);
    }
};

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
    void order(const BenchOrders& orders);
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
