// From the pedal to the throttle: torque that is asked for, its ceiling, the air it needs, the opening that gives the
// air.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "benchcar/controller/ControllerMemory.h"
#include "benchcar/controller/Signals.h"

namespace brusk::benchcar {

namespace layout {

inline constexpr struct Torque {
    Item pedalMap = map("pedal_map", 0x8DC000, own(Store::U16, 0.01, 10), own(Store::U16, 0.01, 6), Store::S16, 0.1);
    Item ceiling = curve("torque_ceiling", 0x8DC0B0, own(Store::U16, 1, 10), Store::U16, 0.1);
    Item gear = curve("torque_gear", 0x8DC0E0, counted(1, 6), Store::U8, 1.0 / 128);
    Item rise = value("torque_rise", 0x8DC0E8, Store::U16);
    Item fall = value("torque_fall", 0x8DC0EA, Store::U16);
    Item loss = curve("torque_loss", 0x8DC0F0, own(Store::U16, 1, 8), Store::U16, 0.1);
    Item lossCold = curve("torque_loss_cold", 0x8DC120, own(Store::U8, 1, 5, -40), Store::U16, 0.1);
    Item airForTorque =
        map("air_for_torque", 0x8DC140, own(Store::U16, 1, 8), own(Store::U16, 0.1, 8), Store::U16, 0.02);
    Item torqueForAir =
        map("torque_for_air", 0x8DC200, own(Store::U16, 1, 8), own(Store::U16, 0.02, 8), Store::U16, 0.1);
    Item throttleForAir =
        map("throttle_for_air", 0x8DC2C0, own(Store::U16, 1, 10), own(Store::U16, 0.02, 10), Store::U16, 0.01);
} torque;

inline constexpr struct TorqueSeen {
    Item throttleTarget = value("throttle_target", 0x3F0120, Store::U16, 0.01);
    Item request = value("torque_request", 0x3F0122, Store::S16, 0.1);
    Item ceilingNow = value("torque_ceiling_now", 0x3F0124, Store::U16, 0.1);
    Item actual = value("torque_actual", 0x3F0126, Store::S16, 0.1);
    Item lossNow = value("torque_loss_now", 0x3F0128, Store::U16, 0.1);
    Item airWanted = value("air_wanted", 0x3F012A, Store::U16, 0.02);
} torqueSeen;

}  // namespace layout

class Torque {
  public:
    explicit Torque(ControllerMemory& memory) : m_(memory) {}
    void powerUp() { request_d_ = 0; }
    /// Throttle opening, 0.01 %. `most_c` is what limits and limp mode leave.
    int step(Signals& s, int most_c);

  private:
    ControllerMemory& m_;
    int request_d_ = 0;
};

}  // namespace brusk::benchcar
