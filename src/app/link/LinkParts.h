// What stands behind an open link: the bench car or a socket. The simulated car itself is seen by LinkParts.cpp alone.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <memory>
#include <string>
#include <vector>

#include "core/link/Traffic.h"

namespace brusk::app {

/// What the bench car's operator wants: set on the interface thread, taken by the link thread when it next may.
struct BenchOrders {
    double temperature_C, pressure_kPa, octane_RON, ethanol_pct;
    std::vector<std::string> faults;
    std::string wideband = {};  ///< which is on its bus, one of widebandChoices(); empty: its own
    bool ignition = true;       ///< while it drives
    int resets = 0;             ///< of its controller, counted on
};
/// Mild weather, the owner's usual fuel, nothing broken.
BenchOrders usualOrders();

/// Something the operator can choose, as the interface lists it.
struct BenchChoice {
    std::string name;
    std::string title;
    double seconds = 0;  ///< a route's; 0: not known before it is made
};
const std::vector<BenchChoice>& routeChoices();
const std::vector<BenchChoice>& faultChoices();
const std::vector<BenchChoice>& widebandChoices();
/// The route that is made of the cells the round in the car has no samples of.
inline constexpr const char* kUnseenCells = "unseen-cells";

/// A node of a map to be driven through.
struct BenchNode {
    double speed_rpm = 0, pressure_kPa = 0;
};

/// An open link. Touched by the link thread only, but for what says otherwise.
class LinkParts {
  public:
    /// "bench", "bench:crane", "unix:PATH" or "socketcan:INTERFACE". `flash`: what the bench car's memory held when it
    /// was last in use; empty for a car as it left the factory.
    [[nodiscard]] static Result<std::unique_ptr<LinkParts>> open(const std::string& choice, ByteSpan flash);
    /// The file of a car folder that keeps that memory, one a bench car; empty for what is no bench car.
    static std::string memoryFileOf(const std::string& choice);
    ~LinkParts();

    link::CanPort& port();
    const std::shared_ptr<link::TrafficLog>& traffic() const { return traffic_; }
    /// Lets the traffic log see every frame.
    void watchTraffic();

    // The bench car; without one these do nothing.
    bool hasBenchCar() const { return bench_ != nullptr; }
    void setCable(bool plugged);            ///< from any thread
    Done order(const BenchOrders& orders);  ///< from any thread; BadInput names a fault nobody knows
    void obeyOrders();                      ///< carries out what is wanted since the last time
    void setTimeLapse(double lapse);
    [[nodiscard]] Result<std::string> startRoute(const std::string& name);  ///< its title
    std::string startRouteThrough(const std::vector<BenchNode>& nodes);
    bool onRoute() const;
    /// Stands still; the engine has run down.
    void stopRoute();
    Bytes flash() const;
    const std::string& memoryFile() const { return memoryFile_; }

  private:
    struct Bench;
    LinkParts();
    /// The engine off, without pace.
    void stand(int64_t time_us);

    std::unique_ptr<Bench> bench_;
    std::string memoryFile_;
    std::unique_ptr<link::CanPort> socket_;  ///< with another process, or an interface of the kernel
    std::shared_ptr<link::TrafficLog> traffic_ = std::make_shared<link::TrafficLog>();
};

}  // namespace brusk::app
