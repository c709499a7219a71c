// The whole bench car: plant, sensors, controller, diagnostics and the wideband's own CAN node, on one clock.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <deque>
#include <optional>

#include "benchcar/controller/Controller.h"
#include "benchcar/controller/ControllerMemory.h"
#include "benchcar/diagnostics/Diagnostics.h"
#include "benchcar/plant/Plant.h"
#include "core/can/CanFrame.h"

namespace brusk::benchcar {

class BenchCar {
  public:
    /// The flash holds the stock calibration of the build's car, whatever parts are fitted.
    explicit BenchCar(const Build& build = kHeronFitted, uint64_t seed = 1);
    BenchCar(const BenchCar&) = delete;
    BenchCar& operator=(const BenchCar&) = delete;

    // --- the bus side, microseconds on one clock
    void advanceTo(int64_t now_us);
    void receive(const can::CanFrame& frame);
    /// The frame of lowest identifier that wants the wire now.
    std::optional<can::CanFrame> nextFrame();
    /// When the car may next want the wire by itself.
    int64_t nextEvent_us() const;
    int64_t now_us() const { return now_us_; }

    // --- the operator's side
    void startRoute(const Route& route);
    void stopRoute();
    bool onRoute() const { return plant_.onRoute(); }
    double routeSeconds() const { return plant_.routeSeconds(); }
    void setIgnition(bool on) { plant_.setIgnition(on); }
    /// Which wideband is on the bus. Whichever it is, its analogue output is on the controller's spare input.
    enum class Wideband : uint8_t { OmbrelW1, TarnL3, None };
    void fit(Wideband wideband) { wideband_ = wideband; }
    /// The key taken out, or put in and turned to "on": without it nothing on the bus has a supply.
    void setKey(bool on);
    Faults& faults() { return plant_.faults(); }
    /// Faults that come and go by themselves, on a clock that begins now.
    void planFaults(FaultPlan plan);
    /// Power off and on: RAM forgotten, a flash that was being written stays as it is.
    void powerCycle();
    Plant& plant() { return plant_; }
    ControllerMemory& memory() { return memory_; }
    const ControllerMemory& memory() const { return memory_; }
    Diagnostics& diagnostics() { return diagnostics_; }
    Controller& controller() { return controller_; }
    bool bootMode() const { return diagnostics_.bootMode(); }

    static constexpr uint32_t kWidebandId = 0x3A0;
    static constexpr uint32_t kOtherWidebandId = 0x2F1;
    static constexpr uint32_t kStatusId = 0x1F0;  ///< the controller's own broadcast, ten a second

  private:
    void tenMilliseconds();
    /// What the driver and the operator do besides: the key, a tester's steps, faults that come and go.
    void obeyRoute();
    void sendWideband();
    void sendOtherWideband();
    void sendStatus();
    /// Frames that the bus loses, delays or damages; nothing of a frame that is not to be delivered now.
    std::optional<can::CanFrame> disturbed(can::CanFrame frame, bool toCar);
    void countFrame();
    /// Hands a frame to the controller, and takes the power away when its bytes were the last there was power for.
    void deliver(const can::CanFrame& frame);

    ControllerMemory memory_;
    Plant plant_;
    Controller controller_;
    Diagnostics diagnostics_;
    ActuatorCommands commands_;
    std::deque<can::CanFrame> broadcast_;
    struct Late {
        int64_t at_us;
        can::CanFrame frame;
        bool toCar;
    };
    std::deque<Late> late_;
    Noise busNoise_;
    bool key_ = true;
    bool keyTaken_ = false;  ///< by the route
    FaultPlan plan_;
    int64_t planFrom_us_ = 0, planAt_us_ = 0;
    int64_t now_us_ = 0;
    int64_t tick_ = 0;
    uint8_t widebandCounter_ = 0;
    Wideband wideband_ = Wideband::OmbrelW1;
};

}  // namespace brusk::benchcar
