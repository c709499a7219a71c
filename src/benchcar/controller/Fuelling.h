// From air to a pulse: lambda that is asked for, cold engine, full load, wall film, fuel cut, injectors.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "benchcar/controller/Air.h"

namespace brusk::benchcar {

namespace layout {

inline constexpr struct Fuel {
    Item stoich = value("stoich", 0x8C8000, Store::U16, 0.001);
    Item injectorFlow = value("injector_flow", 0x8C8002, Store::U16, 0.1);
    Item density = value("fuel_density", 0x8C8004, Store::U16, 0.0001);
    Item minPulse = value("min_pulse", 0x8C8006, Store::U16);
    Item dutyLimit = value("duty_limit", 0x8C8008, Store::U8);
    Item deadTime = curve("dead_time", 0x8C8010, own(Store::U8, 0.1, 8), Store::U16);
    Item smallPulse = curve("small_pulse", 0x8C8030, own(Store::U16, 1, 6), Store::S16);
    Item bankTrim = block("bank_trim", 0x8C8050, 2, Store::S8, 0.1);
    Item crankFuel = curve("crank_fuel", 0x8C8060, own(Store::U8, 1, 8, -40), Store::U16, 0.01);
    Item crankFade = curve("crank_fade", 0x8C8080, own(Store::U16, 0.1, 5), Store::U8, 1.0 / 128);
    Item floodPedal = value("flood_pedal", 0x8C8094, Store::U16, 0.01);
    Item warmUp = curve("warm_up", 0x8C80A0, own(Store::U8, 1, 8, -40), Store::U8, 0.5);
    Item warmUpLoad = curve("warm_up_load", 0x8C80C0, own(Store::U16, 0.02, 5), Store::U8, 1.0 / 128);
    Item afterStart = curve("after_start", 0x8C80E0, own(Store::U8, 1, 6, -40), Store::U8, 0.5);
    Item afterStartDecay = value("after_start_decay", 0x8C80F2, Store::U16, 0.1);
    Item lambdaMap = map("lambda_map", 0x8C8100, sharing(kAxisSpeed), sharing(kAxisPressure), Store::U8, 1.0 / 128);
    Item fullLoadOn = flag("full_load_on", 0x8C8200);
    Item fullLoadPedal = value("full_load_pedal", 0x8C8202, Store::U16, 0.01);
    Item fullLoadReturn = value("full_load_return", 0x8C8204, Store::U16, 0.01);
    Item fullLoadPressure = value("full_load_pressure", 0x8C8206, Store::U16, 0.01);
    Item fullLoadSpeed = value("full_load_speed", 0x8C8208, Store::U16);
    Item fullLoadDelay = value("full_load_delay", 0x8C820A, Store::U16, 0.01);
    Item fullLoadRamp = value("full_load_ramp", 0x8C820C, Store::U16, 0.001);
    Item fullLoadLambda = curve("full_load_lambda", 0x8C8210, sharing(kAxisSpeed), Store::U8, 1.0 / 128);
    Item protectTemp = value("protect_temp", 0x8C8224, Store::U16);
    Item protectGain = value("protect_gain", 0x8C8226, Store::U16, 0.001);
    Item protectLeast = value("protect_least", 0x8C8228, Store::U8, 1.0 / 128);
    Item exhaustModel = map("exhaust_model", 0x8C8240, own(Store::U16, 1, 6), own(Store::U16, 0.02, 6), Store::U16);
    Item exhaustTime = value("exhaust_time", 0x8C82B0, Store::U16, 0.1);
    Item filmOn = flag("film_on", 0x8C82C0);
    Item filmShare = curve("film_share", 0x8C82D0, own(Store::U8, 1, 6, -40), Store::U8, 0.5);
    Item filmTime = curve("film_time", 0x8C82F0, own(Store::U8, 1, 6, -40), Store::U16);
    Item filmPressure = curve("film_pressure", 0x8C8310, own(Store::U16, 0.01, 5), Store::U8, 1.0 / 128);
    Item cutBegins = value("cut_begins", 0x8C8330, Store::U16);
    Item cutEnds = value("cut_ends", 0x8C8332, Store::U16);
    Item cutPedal = value("cut_pedal", 0x8C8334, Store::U16, 0.01);
    Item cutDelay = value("cut_delay", 0x8C8336, Store::U16, 0.01);
    Item cutCold = curve("cut_cold", 0x8C8340, own(Store::U8, 1, 5, -40), Store::U16);
    Item cutReturn = value("cut_return", 0x8C8352, Store::U8, 0.5);
    Item cutReturnDecay = value("cut_return_decay", 0x8C8354, Store::U16, 0.01);
} fuel;

inline constexpr struct FuelSeen {
    Item lambdaAsked = value("lambda_asked", 0x3F0060, Store::U16, 0.0001);
    Item warmUpNow = value("warm_up_now", 0x3F0062, Store::U16, 0.01);
    Item afterStartNow = value("after_start_now", 0x3F0064, Store::U16, 0.01);
    Item fullLoadState = value("full_load_state", 0x3F0066, Store::U8);
    Item fullLoadTimer = value("full_load_timer", 0x3F0068, Store::U16, 0.01);
    Item exhaustTemp = value("exhaust_temp_model", 0x3F006A, Store::U16);
    Item protectNow = value("protect_now", 0x3F006C, Store::U16, 0.0001);
    Item filmMass = value("film_mass", 0x3F006E, Store::U16, 0.001);
    Item filmPart = value("film_part", 0x3F0070, Store::S16, 0.1);
    Item pulse = value("pulse", 0x3F0072, Store::U16);
    Item pulse2 = value("pulse_2", 0x3F0074, Store::U16);
    Item deadTimeUsed = value("dead_time_used", 0x3F0076, Store::U16);
    Item injectorDuty = value("injector_duty", 0x3F0078, Store::U16, 0.01);
    Item fuelMass = value("fuel_mass", 0x3F007A, Store::U16, 0.001);
    Item fuelCut = value("fuel_cut", 0x3F007C, Store::U8);
    Item cutReturnNow = value("cut_return_now", 0x3F007E, Store::U16, 0.01);
    Item fuelRate = value("fuel_rate", 0x3F0080, Store::U16, 0.01);
} fuelSeen;

}  // namespace layout

class Fuelling {
  public:
    explicit Fuelling(ControllerMemory& memory) : m_(memory) {}
    void powerUp();
    /// Before the lambda loop: what lambda is wanted.
    void ask(Signals& s);
    /// After it: pulses for both banks, 0 when cut.
    std::array<int, 2> pulses(Signals& s);

  private:
    int coldPart(const Signals& s);
    int fullLoad(Signals& s, int lambda_4);
    int protection(const Signals& s, int lambda_4);
    CutReason cut(Signals& s);
    int64_t crankFuel_ug(const Signals& s) const;
    int64_t film(const Signals& s, int64_t wanted_ug);
    int pulse(int64_t fuel_ug, int dead_us, const Signals& s) const;

    ControllerMemory& m_;
    uint32_t fullLoadTicks_ = 0;
    int64_t fullLoadFine_ = 0;  ///< how far lambda has moved towards full load, 0.0001 / 1000
    int64_t exhaustFine_ = 0;   ///< degC / 1000
    int64_t film_ng_ = 0;
    uint32_t overrunTicks_ = 0;
    bool wasCut_ = false;
    int lastFuel_ug_ = 0;
};

}  // namespace brusk::benchcar
