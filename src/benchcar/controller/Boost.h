// Boost: a target by speed and pedal, corrected for gear, heat and altitude; base duty, proportional, integral and
// rising part.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "benchcar/controller/Air.h"

namespace brusk::benchcar {

namespace layout {

inline constexpr struct Boost {
    Item on = flag("boost_on", 0x8D4000);
    Item target = map("boost_target", 0x8D4100, own(Store::U16, 1, 10), own(Store::U16, 0.01, 6), Store::U16, 0.01);
    Item gear = curve("boost_gear", 0x8D4010, counted(1, 6), Store::U8, 1.0 / 128);
    Item duty = map("wastegate", 0x8D4200, own(Store::U16, 1, 10), own(Store::U16, 0.01, 6), Store::U8, 0.5);
    Item p = value("boost_p", 0x8D4020, Store::U16, 0.01);
    Item i = value("boost_i", 0x8D4022, Store::U16, 0.01);
    Item d = value("boost_d", 0x8D405A, Store::U16, 0.01);
    Item iMost = value("boost_i_limit", 0x8D4024, Store::U8, 0.5);
    Item iWindow = value("boost_i_window", 0x8D4026, Store::U16, 0.01);
    Item spool = value("boost_spool", 0x8D4028, Store::U16, 0.01);
    Item charge = curve("boost_charge", 0x8D4030, own(Store::U8, 1, 5, -40), Store::U8, 1.0 / 128);
    Item altitude = curve("boost_altitude", 0x8D4040, own(Store::U8, 1, 4), Store::U16, 0.01);
    Item dutyMost = value("boost_duty_most", 0x8D4050, Store::U8, 0.5);
    Item pedal = value("boost_pedal", 0x8D4052, Store::U16, 0.01);
    Item cut = value("boost_cut", 0x8D4054, Store::U16, 0.01);
    Item cutReturn = value("boost_cut_return", 0x8D4056, Store::U16, 0.01);
    Item cutDelay = value("boost_cut_delay", 0x8D4058, Store::U8, 0.01);
} boost;

inline constexpr struct BoostSeen {
    Item duty = value("wastegate_duty", 0x3F00E0, Store::U8, 0.5);
    Item cutNow = value("boost_cut_now", 0x3F00E1, Store::U8);
    Item target = value("boost_target_now", 0x3F00E2, Store::U16, 0.01);
    Item error = value("boost_error", 0x3F00E4, Store::S16, 0.01);
    Item base = value("boost_base_duty", 0x3F00E6, Store::U8, 0.5);
    Item pPart = value("boost_p_part", 0x3F00E8, Store::S16, 0.01);
    Item iPart = value("boost_i_part", 0x3F00EA, Store::S16, 0.01);
    Item dPart = value("boost_d_part", 0x3F00F0, Store::S16, 0.01);
    Item state = value("boost_state", 0x3F00EC, Store::U8);
    Item ceiling = value("boost_ceiling", 0x3F00EE, Store::U16, 0.01);
} boostSeen;

}  // namespace layout

class Boost {
  public:
    explicit Boost(ControllerMemory& memory) : m_(memory) {}
    void powerUp();
    /// Wastegate duty, 0.5 %; sets the cut.
    int step(Signals& s);

  private:
    int target(const Signals& s);
    void watch(Signals& s);

    ControllerMemory& m_;
    int64_t integralFine_ = 0;  ///< 0.01 % / 1000
    int64_t slowFine_ = 0;      ///< pressure behind a filter of 80 ms, 0.01 kPa / 1024
    int cutTicks_ = 0;
};

}  // namespace brusk::benchcar
