// The tank's vapour: a canister holds it, and a valve lets it into the manifold for a while, now and then.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "benchcar/controller/ControllerMemory.h"
#include "benchcar/controller/Signals.h"

namespace brusk::benchcar {

namespace layout {

inline constexpr struct Purge {
    Item on = flag("purge_on", 0x8E8000);
    Item coolant = value("purge_coolant", 0x8E8001, Store::U8, 1, -40);
    Item time = value("purge_time", 0x8E8002, Store::U16, 0.1);
    Item pause = value("purge_pause", 0x8E8004, Store::U16, 0.1);
    Item pressureMost = value("purge_pressure_most", 0x8E8006, Store::U16, 0.01);
    Item duty = curve("purge_duty", 0x8E8010, own(Store::U16, 0.1, 5), Store::U8, 0.5);
} purge;

inline constexpr struct PurgeSeen { Item duty = value("purge_duty_now", 0x3F0180, Store::U8, 0.5); } purgeSeen;

}  // namespace layout

class Purge {
  public:
    explicit Purge(ControllerMemory& memory) : m_(memory) {}
    void powerUp() { ticks_ = 0; }
    /// Duty of the valve, 0.5 %.
    int step(const Signals& s);

  private:
    ControllerMemory& m_;
    int ticks_ = 0;  ///< 10 ms of the round of opening and pausing
};

}  // namespace brusk::benchcar
