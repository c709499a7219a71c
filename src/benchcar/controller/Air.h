// How much air each cylinder gets: from speed and density, from the airflow meter, or from both with a changeover.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "benchcar/controller/ControllerMemory.h"
#include "benchcar/controller/Signals.h"

namespace brusk::benchcar {

namespace layout {

inline constexpr Item kAxisSpeed = axis("axis_speed", 0x8C4028, Store::U16, 1, 16);
inline constexpr Item kAxisPressure = axis("axis_pressure", 0x8C4050, Store::U16, 0.01, 14);
inline constexpr Item kAxisLoad = axis("axis_load", 0x8D0010, Store::U16, 0.02, 12);

inline constexpr struct Air {
    Item displacement = value("displacement", 0x8C4000, Store::U16);
    Item cylinders = value("cylinders", 0x8C4002, Store::U8);
    Item banks = value("banks", 0x8C4003, Store::U8);
    Item model = value("air_model", 0x8C4004, Store::U8);
    Item changeoverOn = value("changeover_on", 0x8C4006, Store::U16);
    Item changeoverOff = value("changeover_off", 0x8C4008, Store::U16);
    Item changeoverTime = value("changeover_time", 0x8C400A, Store::U16, 0.01);
    Item fallback = flag("air_fallback", 0x8C400C);
    Item meterFill = curve("meter_fill", 0x8C4010, own(Store::U16, 1, 5), Store::U8, 100.0 / 256);
    Item axisSpeed = kAxisSpeed;
    Item axisPressure = kAxisPressure;
    Item chargeBlend = curve("charge_blend", 0x8C4080, own(Store::U16, 0.1, 6), Store::U8, 100.0 / 256);
    Item veBaro = curve("ve_baro", 0x8C40A0, own(Store::U8, 1, 5), Store::U8, 1.0 / 128);
    Item veMap = map("ve_map", 0x8C4200, sharing(kAxisSpeed), sharing(kAxisPressure), Store::U16, 0.01);
    Item meterCorrection =
        map("meter_correction", 0x8C4400, own(Store::U16, 1, 8), own(Store::U16, 0.01, 5), Store::U8, 1.0 / 128);
    Item throttleAir = map("throttle_air", 0x8C4480, own(Store::U16, 1, 8), own(Store::U16, 0.01, 8), Store::U16, 0.02);
} air;

inline constexpr struct AirSeen {
    Item airPerCylinder = value("air_per_cylinder", 0x3F0040, Store::U16, 0.02);
    Item airflow = value("airflow", 0x3F0042, Store::U16, 0.02);
    Item veUsed = value("ve_used", 0x3F0044, Store::U16, 0.01);
    Item chargeTemp = value("charge_temp", 0x3F0046, Store::S16, 0.1);
    Item speedDensity = value("air_speed_density", 0x3F0048, Store::U16, 0.02);
    Item meter = value("air_meter", 0x3F004A, Store::U16, 0.02);
    Item source = value("air_source", 0x3F004C, Store::U8);
    Item share = value("changeover_share", 0x3F004D, Store::U8, 100.0 / 255);
    Item filling = value("filling", 0x3F004E, Store::U16, 0.01);
} airSeen;

}  // namespace layout

class Air {
  public:
    explicit Air(ControllerMemory& memory) : m_(memory) {}
    void powerUp();
    void step(Signals& s);

  private:
    void speedDensity(Signals& s);
    void meter(Signals& s);
    int meterShare(const Signals& s);

    ControllerMemory& m_;
    int64_t meterFine_ = 0;
    int share_ = 0;  ///< of the meter, 1/255 * 256
    bool above_ = false;
    int ve_c_ = 0;
};

}  // namespace brusk::benchcar
