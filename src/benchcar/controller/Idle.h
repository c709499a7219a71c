// Idle: speed target, base air by coolant and load, proportional and integral part, and what it learns.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "benchcar/controller/ControllerMemory.h"
#include "benchcar/controller/Signals.h"

namespace brusk::benchcar {

namespace layout {

inline constexpr struct Idle {
    Item speed = curve("idle_speed", 0x8D8000, own(Store::U8, 1, 6, -40), Store::U16);
    Item air = curve("idle_air", 0x8D8020, own(Store::U8, 1, 6, -40), Store::U16, 0.01);
    Item p = value("idle_p", 0x8D8040, Store::U16, 0.01);
    Item i = value("idle_i", 0x8D8042, Store::U16, 0.01);
    Item pLimit = value("idle_p_limit", 0x8D8044, Store::U16, 0.01);
    Item iMost = value("idle_i_most", 0x8D8046, Store::U16, 0.01);
    Item iLeast = value("idle_i_least", 0x8D8048, Store::S16, 0.01);
    Item gearRise = value("idle_gear_rise", 0x8D804A, Store::U8, 10);
    Item coolingRise = value("idle_ac_rise", 0x8D804B, Store::U8, 10);
    Item batteryVolts = value("idle_battery_volts", 0x8D804C, Store::U8, 0.1);
    Item batteryRise = value("idle_battery_rise", 0x8D804D, Store::U8, 10);
    Item coolingAir = value("idle_air_ac", 0x8D804E, Store::U16, 0.01);
    Item fanAir = value("idle_air_fan", 0x8D8050, Store::U16, 0.01);
    Item pedal = value("idle_pedal", 0x8D8052, Store::U16, 0.01);
    Item enter = value("idle_enter", 0x8D8054, Store::U16);
    Item learnRate = value("idle_learn_rate", 0x8D8056, Store::U16, 0.01);
    Item learnLimit = value("idle_learn_limit", 0x8D8058, Store::U16, 0.01);
    Item dashpot = value("idle_dashpot", 0x8D805A, Store::U8, 1);
    Item dashpotDecay = value("idle_dashpot_decay", 0x8D805C, Store::U16, 0.01);
    Item startAir = value("idle_start_air", 0x8D805E, Store::U16, 0.01);
    Item startDecay = value("idle_start_decay", 0x8D8060, Store::U16, 0.1);
    Item crankAir = curve("idle_crank_air", 0x8D8070, own(Store::U8, 1, 5, -40), Store::U16, 0.01);
} idle;

inline constexpr struct IdleSeen {
    Item target = value("idle_target", 0x3F0100, Store::U16);
    Item integral = value("idle_integral", 0x3F0102, Store::S16, 0.01);
    Item active = value("idle_active", 0x3F0104, Store::U8);
    Item pPart = value("idle_p_part", 0x3F0106, Store::S16, 0.01);
    Item learned = value("idle_learned", 0x3F0108, Store::S16, 0.01);
    Item air = value("idle_air_now", 0x3F010A, Store::U16, 0.01);
    Item dashpot = value("idle_dashpot_now", 0x3F010C, Store::U16, 0.01);
    Item load = value("idle_load_part", 0x3F010E, Store::U16, 0.01);
} idleSeen;

}  // namespace layout

class Idle {
  public:
    explicit Idle(ControllerMemory& memory) : m_(memory) {}
    void powerUp();
    void step(Signals& s);
    void forget() { learnedFine_ = 0; }

  private:
    int target(const Signals& s);
    void hold(Signals& s, bool settled);

    ControllerMemory& m_;
    int64_t integralFine_ = 0;  ///< throttle, 0.01 % / 1000
    int64_t learnedFine_ = 0;   ///< the same; kept through a power cycle
    int64_t dashpotFine_ = 0;
    int proportional_c_ = 0;
};

}  // namespace brusk::benchcar
