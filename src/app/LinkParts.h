// What stands behind an open link: the bench car or a socket. Only who works on the link sees this, so that a constant
// of the simulated car recompiles no widget. SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <memory>
#include <mutex>
#include <optional>

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

}  // namespace brusk::app
