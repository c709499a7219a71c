// SPDX-License-Identifier: GPL-3.0-or-later
#include "benchcar/plant/ExhaustPath.h"

#include <algorithm>
#include <cmath>

namespace brusk::benchcar {

ExhaustPath::ExhaustPath(const Build& build, Noise& noise) : build_(build), noise_(noise) {
    for (auto& bank : fuelShare_)
        bank.fill(1.0f);
}

double ExhaustPath::past(size_t bank, long tick, double delay_s) const {
    const auto back = std::min(static_cast<size_t>(delay_s / kStep_s), kHistory - 1);
    return static_cast<double>(fuelShare_[bank][(static_cast<size_t>(tick) + kHistory - back) % kHistory]);
}

void ExhaustPath::step(TrueState& s, const Faults& faults) {
    const auto banks = static_cast<size_t>(build_.engine->banks);
    for (size_t b = 0; b < banks; ++b)
        fuelShare_[b][static_cast<size_t>(s.tick) % kHistory] = static_cast<float>(1 / s.banks[b].lambda);
    // Transport: a constant for mixing, and the pipe's gas to be pushed out (g over g/s).
    s.delay_s = std::min(exhaust::kMostDelay_s, exhaust::kDelayConstant_s + build_.engine->exhaust_g /
                                                                                std::max(s.airflow_gs * 1.07, 0.5) *
                                                                                static_cast<double>(banks));
    // Both sensors mix what reaches them as 1/lambda, the fuel's share.
    double share = past(0, s.tick, s.delay_s);
    s.lambdaAtSensor = 1 / share;
    if (faults.widebandLeak) share *= s.airflow_gs / (s.airflow_gs + exhaust::kLeakFlow_gs);
    if (faults.widebandLatePipe && s.speed_rpm < exhaust::kSecondPipe_rpm) share = 0.27;  // still, airy gas
    widebandLag_ += (share - widebandLag_) * kStep_s / exhaust::kWidebandLag_s;

    heated_ += ((s.ignition ? 1.0 : 0.0) - heated_) * kStep_s / exhaust::kNarrowHeating_s;
    const double lag_s = exhaust::kNarrowLag_s + exhaust::kNarrowCold_s * (1 - heated_);
    for (size_t b = 0; b < banks; ++b) {
        narrow_[b] += (past(b, s.tick, s.delay_s * exhaust::kNearer) - narrow_[b]) * kStep_s / lag_s;
        if (s.tick % 10 == 0)
            s.banks[b].narrowband_V = 0.45 + 0.38 * std::min(1.0, heated_ * 2.5) * std::tanh((narrow_[b] - 1) * 60);
    }
    if (s.tick % 10 == 0)
        s.wideband = std::clamp(1 / std::max(widebandLag_, 0.1) * (1 + 0.004 * noise_.normal()), 0.6, 4.0);
}

}  // namespace brusk::benchcar
