// Limits of revs, road speed and load, limp mode, and what cools: fans and air conditioning.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "benchcar/controller/ControllerMemory.h"
#include "benchcar/controller/Signals.h"

namespace brusk::benchcar {

namespace layout {

inline constexpr struct Limits {
    Item revLimit = value("rev_limit", 0x8E0000, Store::U16);
    Item revReturn = value("rev_return", 0x8E0002, Store::U16);
    Item revCold = curve("rev_cold", 0x8E0010, own(Store::U8, 1, 4, -40), Store::U16);
    Item speedLimit = value("speed_limit", 0x8E0020, Store::U16, 0.01);
    Item speedReturn = value("speed_return", 0x8E0022, Store::U16, 0.01);
    Item loadLimit = value("load_limit", 0x8E0024, Store::U16, 0.02);
    Item loadDelay = value("load_delay", 0x8E0026, Store::U16, 0.01);
    Item limpThrottle = value("limp_throttle", 0x8E0028, Store::U16, 0.01);
    Item limpRevs = value("limp_revs", 0x8E002A, Store::U16);
} limits;

inline constexpr struct Cooling {
    Item fanOn = value("fan_on", 0x8E0040, Store::U8, 1, -40);
    Item fanOff = value("fan_off", 0x8E0041, Store::U8, 1, -40);
    Item fanHighOn = value("fan_high_on", 0x8E0042, Store::U8, 1, -40);
    Item fanHighOff = value("fan_high_off", 0x8E0043, Store::U8, 1, -40);
    Item fanWithCooling = flag("fan_ac", 0x8E0044);
    Item fanSpeedCut = value("fan_speed_cut", 0x8E0046, Store::U16, 0.01);
    Item runOnTime = value("fan_run_on", 0x8E0048, Store::U16);
    Item runOnCoolant = value("fan_run_on_coolant", 0x8E004A, Store::U8, 1, -40);
    Item coolingPedal = value("ac_cut_pedal", 0x8E004C, Store::U16, 0.01);
    Item coolingSpeed = value("ac_least_speed", 0x8E004E, Store::U16);
    Item coolingReturn = value("ac_return", 0x8E0050, Store::U16, 0.1);
    Item coolingCoolant = value("ac_cut_coolant", 0x8E0052, Store::U8, 1, -40);
} cooling;

inline constexpr struct LimitsSeen {
    Item limit = value("limit_active", 0x3F0140, Store::U8);
    Item revLimitNow = value("rev_limit_now", 0x3F0142, Store::U16);
    Item limp = value("limp_mode", 0x3F0144, Store::U8);
    Item throttleMost = value("throttle_most", 0x3F0146, Store::U16, 0.01);
    Item fan = value("fan", 0x3F0150, Store::U8);
    Item fanHigh = value("fan_high", 0x3F0151, Store::U8);
    Item compressor = value("ac_on", 0x3F0152, Store::U8);
    Item runOn = value("fan_run_on_left", 0x3F0154, Store::U16);
} limitsSeen;

}  // namespace layout

class Limits {
  public:
    explicit Limits(ControllerMemory& memory) : m_(memory) {}
    void powerUp();
    /// Sets the reason to cut, if any; gives the greatest throttle opening that is left.
    int step(Signals& s);

  private:
    ControllerMemory& m_;
    bool overRev_ = false, overSpeed_ = false;
    int loadTicks_ = 0;
};

class Cooling {
  public:
    explicit Cooling(ControllerMemory& memory) : m_(memory) {}
    void powerUp();
    void step(Signals& s, bool ignition);

  private:
    bool compressorWanted(const Signals& s);

    ControllerMemory& m_;
    bool low_ = false, high_ = false;
    int runOnTicks_ = 0;
    int sinceForbidden_ = 1 << 20;
};

}  // namespace brusk::benchcar
