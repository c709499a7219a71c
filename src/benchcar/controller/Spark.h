// Ignition: a safe base, an advance for better fuel as far as it has been learned, corrections, and knock control.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "benchcar/controller/Air.h"

namespace brusk::benchcar {

namespace layout {

inline constexpr struct Spark {
    Item axisLoad = kAxisLoad;
    Item base = map("spark_map", 0x8D0100, sharing(kAxisSpeed), sharing(kAxisLoad), Store::S16, 0.1);
    Item octane = map("spark_octane", 0x8D0300, sharing(kAxisSpeed), sharing(kAxisLoad), Store::U8, 0.1);
    Item octaneStart = value("octane_start", 0x8D0400, Store::U8, 100.0 / 255);
    Item octaneDown = value("octane_down", 0x8D0401, Store::U8, 100.0 / 255);
    Item octaneUp = value("octane_up", 0x8D0402, Store::U16, 0.01);
    Item octaneLoad = value("octane_load", 0x8D0404, Store::U16, 0.02);
    Item charge = curve("spark_charge", 0x8D0410, own(Store::U8, 1, 8, -40), Store::S8, 0.1);
    Item chargeLoad = curve("spark_charge_load", 0x8D0430, own(Store::U16, 0.02, 4), Store::U8, 1.0 / 128);
    Item coolant = curve("spark_coolant", 0x8D0440, own(Store::U8, 1, 6, -40), Store::S8, 0.1);
    Item lambda = curve("spark_lambda", 0x8D0450, own(Store::U8, 1.0 / 128, 5), Store::S8, 0.1);
    Item idle = value("spark_idle", 0x8D0460, Store::S16, 0.1);
    Item idleGain = value("spark_idle_gain", 0x8D0462, Store::U16, 0.01);
    Item idleLimit = value("spark_idle_limit", 0x8D0464, Store::U8, 0.1);
    Item crank = value("spark_crank", 0x8D0466, Store::S16, 0.1);
    Item least = value("spark_least", 0x8D0468, Store::S16, 0.1);
    Item most = value("spark_most", 0x8D046A, Store::S16, 0.1);
    Item rate = value("spark_rate", 0x8D046C, Store::U8, 0.1);
    Item dwell = curve("dwell", 0x8D0470, own(Store::U8, 0.1, 7), Store::U16, 0.001);
    Item knockOn = flag("knock_on", 0x8D0490);
    Item knockThreshold = curve("knock_threshold", 0x8D04A0, own(Store::U16, 1, 8), Store::U16, 0.001);
    Item knockStep = value("knock_step", 0x8D04D0, Store::U8, 0.1);
    Item knockDecay = value("knock_decay", 0x8D04D2, Store::U16, 0.01);
    Item knockLimit = value("knock_limit", 0x8D04D4, Store::U8, 0.1);
    Item knockLoad = value("knock_load", 0x8D04D6, Store::U16, 0.02);
    Item knockSpeed = value("knock_speed", 0x8D04D8, Store::U16);
    Item knockCoolant = value("knock_coolant", 0x8D04DA, Store::U8, 1, -40);
    Item knockFallback = value("knock_fallback", 0x8D04DB, Store::U8, 0.1);
} spark;

inline constexpr struct SparkSeen {
    Item spark = value("spark", 0x3F00C0, Store::S16, 0.1);
    Item base = value("spark_base", 0x3F00C2, Store::S16, 0.1);
    Item octane = value("spark_octane_part", 0x3F00C4, Store::S16, 0.1);
    Item factor = value("octane_factor", 0x3F00C6, Store::U8, 100.0 / 255);
    Item charge = value("spark_charge_part", 0x3F00C8, Store::S16, 0.1);
    Item coolant = value("spark_coolant_part", 0x3F00CA, Store::S16, 0.1);
    Item lambda = value("spark_lambda_part", 0x3F00CC, Store::S16, 0.1);
    Item idle = value("spark_idle_part", 0x3F00CE, Store::S16, 0.1);
    Item retard = value("knock_retard", 0x3F00D0, Store::S16, 0.1);
    Item threshold = value("knock_threshold_now", 0x3F00D2, Store::U16, 0.001);
    Item events = value("knock_events", 0x3F00D4, Store::U16);
    Item active = value("knock_active", 0x3F00D6, Store::U8);
    Item dwell = value("dwell_now", 0x3F00D8, Store::U16, 0.001);
} sparkSeen;

}  // namespace layout

class Spark {
  public:
    explicit Spark(ControllerMemory& memory) : m_(memory) {}
    void powerUp();
    /// 0.1 degrees before top dead centre.
    int step(Signals& s);
    int dwell_us(const Signals& s);
    /// The octane factor begins anew.
    void forget();

  private:
    void watchKnock(Signals& s);

    ControllerMemory& m_;
    int64_t factorFine_ = -1;  ///< 1/255 / 10000; kept through a power cycle
    int64_t retardFine_ = 0;   ///< 0.1 deg / 1000
    int events_ = 0;
    int last_d_ = 0;
};

}  // namespace brusk::benchcar
