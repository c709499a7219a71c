// Closed loop on the narrowband sensors: a short trim that swings, a long trim by airflow that remembers; each bank its
// own.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "benchcar/controller/Air.h"

namespace brusk::benchcar {

namespace layout {

inline constexpr struct Loop {
    Item on = flag("loop_on", 0x8CC000);
    Item coolant = value("loop_coolant", 0x8CC001, Store::U8, 1, -40);
    Item wait = value("loop_wait", 0x8CC002, Store::U16, 0.1);
    Item jump = curve("loop_jump", 0x8CC010, own(Store::U16, 0.1, 5), Store::U16, 0.01);
    Item ramp = curve("loop_ramp", 0x8CC030, own(Store::U16, 0.1, 5), Store::U16, 0.01);
    Item limit = value("loop_limit", 0x8CC050, Store::U8);
    Item volts = value("loop_volts", 0x8CC052, Store::U16, 0.001);
    Item bias = value("loop_bias", 0x8CC054, Store::S16, 0.01);
    Item pressureMost = value("loop_pressure_most", 0x8CC056, Store::U16, 0.01);
    Item speedMost = value("loop_speed_most", 0x8CC058, Store::U16);
    Item afterCut = value("loop_after_cut", 0x8CC05A, Store::U16, 0.01);
    Item learnOn = flag("learn_on", 0x8CC05C);
    Item learnCoolant = value("learn_coolant", 0x8CC05D, Store::U8, 1, -40);
    Item learnLimit = value("learn_limit", 0x8CC05E, Store::U8);
    Item learnRate = value("learn_rate", 0x8CC060, Store::U16, 0.1);
    Item learnBorders = block("learn_borders", 0x8CC062, 3, Store::U16, 0.1);
} loop;

inline constexpr struct LoopSeen {
    Item shortTrim = value("short_trim", 0x3F00A0, Store::S16, 0.01);
    Item longTrim = value("long_trim", 0x3F00A2, Store::S16, 0.01);
    Item shortTrim2 = value("short_trim_2", 0x3F00A4, Store::S16, 0.01);
    Item longTrim2 = value("long_trim_2", 0x3F00A6, Store::S16, 0.01);
    Item state = value("loop_state", 0x3F00A8, Store::U8);
    Item state2 = value("loop_state_2", 0x3F00A9, Store::U8);
    Item zone = value("learn_zone", 0x3F00AA, Store::U8);
    Item switches = value("narrowband_switches", 0x3F00AC, Store::U16);
    Item switches2 = value("narrowband_switches_2", 0x3F00AE, Store::U16);
    Item learned0 = value("learned_0", 0x3F00B0, Store::S16, 0.01);
    Item learned1 = value("learned_1", 0x3F00B2, Store::S16, 0.01);
    Item learned2 = value("learned_2", 0x3F00B4, Store::S16, 0.01);
    Item learned3 = value("learned_3", 0x3F00B6, Store::S16, 0.01);
    Item learned20 = value("learned_0_2", 0x3F00B8, Store::S16, 0.01);
    Item learned21 = value("learned_1_2", 0x3F00BA, Store::S16, 0.01);
    Item learned22 = value("learned_2_2", 0x3F00BC, Store::S16, 0.01);
    Item learned23 = value("learned_3_2", 0x3F00BE, Store::S16, 0.01);
} loopSeen;

}  // namespace layout

class LambdaLoop {
  public:
    explicit LambdaLoop(ControllerMemory& memory) : m_(memory) {}
    /// RAM is lost; what was learned is kept in memory that is always powered.
    void powerUp();
    void step(Signals& s);
    void forget() { learnedFine_ = {}; }

  private:
    bool ready(const Signals& s, bool failed) const;
    int zone(const Signals& s) const;
    void swing(Signals& s, size_t bank, int zone);

    ControllerMemory& m_;
    std::array<std::array<int64_t, 4>, 2> learnedFine_{};  ///< 0.01 % / 1000000, by bank and airflow zone
    std::array<int64_t, 2> shortFine_{};                   ///< 0.01 % / 1000
    std::array<bool, 2> wasRich_{};
    std::array<int, 2> switches_{};
};

}  // namespace brusk::benchcar
