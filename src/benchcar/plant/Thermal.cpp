// SPDX-License-Identifier: GPL-3.0-or-later
#include "benchcar/plant/Thermal.h"

#include <algorithm>

namespace brusk::benchcar {

void Thermal::step(TrueState& s, const Consumers& consumers, const Faults& faults) {
    using namespace thermal;
    const double open = std::clamp((s.coolant_C - kOpens_C) / (kOpen_C - kOpens_C), kShut, 1.0);
    const double moving_ms = s.vehicle_kmh / 3.6;
    const double cooling_WK = open * (kStill_WK + build_.engine->cooling_WK * 3 * moving_ms + kFan_WK * consumers.fans);
    const double heat_W = s.coolantHeat_W + (consumers.compressor ? kCompressorHeat_W * open : 0);
    s.coolant_C += kEvery_s * (heat_W - cooling_WK * (s.coolant_C - s.ambient_C)) / build_.engine->heatCapacity_JK;

    double wanted_V = kRest_V;
    if (s.speed_rpm < 400)
        wanted_V = s.starter ? kCranking_V : kRest_V;
    else
        wanted_V = kSlowCharging_V + (kCharging_V - kSlowCharging_V) * std::min(1.0, s.speed_rpm / 2500) -
                   kFan_V * consumers.fans;
    if (faults.lowBattery) wanted_V = s.speed_rpm < 400 && s.starter ? 8.6 : 11.2 - 0.3 * consumers.fans;
    s.battery_V += (wanted_V - s.battery_V) * kEvery_s / kBatteryLag_s;
    s.drag_Nm = s.speed_rpm > 400 ? kAlternator_Nm + kFan_Nm * consumers.fans * 850 / std::max(850.0, s.speed_rpm) +
                                        (consumers.compressor ? kCompressor_Nm : 0)
                                  : 0;
}

}  // namespace brusk::benchcar
