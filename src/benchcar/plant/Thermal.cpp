// Coolant, oil, intake and bay warm and cool.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "benchcar/plant/Thermal.h"

#include <algorithm>

namespace brusk::benchcar {

void Thermal::step(TrueState& s, const Consumers& consumers, const Faults& faults) {
    using namespace thermal;
    const double opens_C = build_.parts.thermostat_C;
    const double open = std::clamp((s.coolant_C - opens_C) / kOpening_K, kShut, 1.0);
    const double moving_ms = s.vehicle_kmh / 3.6;
    const double cooling_WK = open * (s.covered ? kCovered : 1) *
                              (kStill_WK + build_.engine.cooling_WK * 3 * moving_ms + kFan_WK * consumers.fans);
    const double heat_W = s.coolantHeat_W + (consumers.compressor ? kCompressorHeat_W * open : 0);
    s.coolant_C += kEvery_s * (heat_W - cooling_WK * (s.coolant_C - s.ambient_C)) / build_.engine.heatCapacity_JK;

    s.battery_V += (wanted_V(s, consumers, faults) - s.battery_V) * kEvery_s / kBatteryLag_s;
    const double current_Nm = kFan_Nm * consumers.fans + (s.lamps ? kLamps_Nm : 0);
    s.drag_Nm = s.speed_rpm > 400 ? kAlternator_Nm + current_Nm * 850 / std::max(850.0, s.speed_rpm) +
                                        (consumers.compressor ? kCompressor_Nm : 0)
                                  : 0;
}

double Thermal::wanted_V(const TrueState& s, const Consumers& consumers, const Faults& faults) {
    using namespace thermal;
    const bool slow = s.speed_rpm < 400;
    drained_V_ = faults.alternatorDead_Vmin > 0 ? drained_V_ + faults.alternatorDead_Vmin * kEvery_s / 60 : 0;
    if (faults.lowBattery_V > 0)
        return slow && s.starter ? faults.lowBattery_V - kCrankingDrop_V : faults.lowBattery_V - 0.3 * consumers.fans;
    if (slow) return (s.starter ? kCranking_V : kRest_V) - drained_V_;
    if (faults.alternatorDead_Vmin > 0) return std::max(6.0, kRest_V - drained_V_);
    return kSlowCharging_V + (kCharging_V - kSlowCharging_V) * std::min(1.0, s.speed_rpm / 2500) -
           kFan_V * consumers.fans - (s.lamps ? kLamps_V : 0);
}

}  // namespace brusk::benchcar
