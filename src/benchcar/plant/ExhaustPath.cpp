// Each bank's mixture on its way to the sensors: transport, mixing, leaks and the sensors' own lag.
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

double ExhaustPath::travelled_s(const TrueState& s, double mass_g, long& leftAt) const {
    const auto farthest = s.tick - static_cast<long>(exhaust::kMostDelay_s / kStep_s);
    leftAt = std::max({leftAt, farthest, 0L});
    // What left at `leftAt` has come by when so much more followed it.
    while (leftAt < s.tick && passedNow_g_ - passed_g_[static_cast<size_t>(leftAt + 1) % kHistory] >= mass_g)
        ++leftAt;
    return static_cast<double>(s.tick - leftAt) * kStep_s;
}

/// How long the gas takes from the valves to the sensors.
void ExhaustPath::carry(TrueState& s) {
    const double banks = build_.engine.banks;
    const double flow_gs = std::max(s.airflow_gs * 1.07, 0.5) / banks;
    passedNow_g_ += flow_gs * kStep_s;
    passed_g_[static_cast<size_t>(s.tick) % kHistory] = passedNow_g_;
    if (!build_.drawn.shapes) {
        // Transport: a constant for mixing, and the pipe's gas to be pushed out (g over g/s).
        s.delay_s =
            std::min(exhaust::kMostDelay_s,
                     exhaust::kDelayConstant_s + build_.engine.exhaust_g / std::max(s.airflow_gs * 1.07, 0.5) * banks);
        narrowDelay_s_ = s.delay_s * exhaust::kNearer;
        return;
    }
    const double pipe_K = 300 + exhaust::kPipeWarmth * (s.exhaust_C + 273.15 - 300);
    const double pressure_kPa = s.ambient_kPa + exhaust::kPipe_kPa - 101.3;
    const double mass_g =
        build_.engine.exhaust_g * pressure_kPa / exhaust::kPipe_kPa * exhaust::kPipe_K / std::max(pipe_K, 280.0);
    const double cycle_s = exhaust::kCycles * 120 / std::max(s.speed_rpm, 200.0);
    s.delay_s = std::min(exhaust::kMostDelay_s, cycle_s + travelled_s(s, mass_g, leftForWideband_));
    narrowDelay_s_ =
        std::min(exhaust::kMostDelay_s, cycle_s + travelled_s(s, mass_g * exhaust::kNearer, leftForNarrow_));
}

void ExhaustPath::widebandSees(TrueState& s, double share, const Faults& faults) {
    s.lambdaAtSensor = 1 / share;
    const double flow_gs = s.airflow_gs;
    if (const double leak_gs = faults.widebandLeak_gs + faults.exhaustLeak_gs; leak_gs > 0)
        share *= flow_gs / (flow_gs + leak_gs);
    if (s.speed_rpm < faults.widebandLatePipe_rpm) share = exhaust::kSecondPipe;
    const double store_s =
        build_.parts.wideband == WidebandPlace::BehindCatalyst ? exhaust::kCatalyst_s : faults.widebandBehindCatalyst_s;
    if (store_s > 0) {
        catalyst_ += (share - catalyst_) * kStep_s / store_s;
        share = catalyst_;
    }
    const double perkPa = build_.parts.wideband == WidebandPlace::BeforeTurbine ? exhaust::kCellPressure_perkPa
                                                                                : faults.widebandBeforeTurbine_perkPa;
    if (perkPa > 0) share = 1 - (1 - share) * (1 + perkPa * std::max(0.0, s.backPressure_kPa - s.ambient_kPa));
    const double lag_s = exhaust::kWidebandLag_s + build_.drawn.widebandAge_s + faults.widebandAged_s;
    widebandLag_ += (share - widebandLag_) * kStep_s / lag_s;

    // A cold cell is not ready, and what it shows creeps from rich to the truth.
    cold_s_ = faults.widebandCold_s <= 0 ? -1 : s.ignition ? std::max(0.0, cold_s_) + kStep_s : 0;
    s.widebandReady = s.ignition && (cold_s_ < 0 || cold_s_ >= faults.widebandCold_s);
}

void ExhaustPath::step(TrueState& s, const Faults& faults) {
    const auto banks = static_cast<size_t>(build_.engine.banks);
    const double perBank = static_cast<double>(build_.engine.cylinders) / build_.engine.banks;
    for (size_t b = 0; b < banks; ++b) {
        const double whole = b == 0 ? 1 - s.weakCylinder / perBank : 1;
        fuelShare_[b][static_cast<size_t>(s.tick) % kHistory] = static_cast<float>(1 / s.banks[b].lambda * whole);
    }
    carry(s);
    // Both sensors mix what reaches them as 1/lambda, the fuel's share.
    widebandSees(s, past(0, s.tick, s.delay_s), faults);

    heated_ += ((s.ignition ? 1.0 : 0.0) - heated_) * kStep_s / exhaust::kNarrowHeating_s;
    const double lag_s = exhaust::kNarrowLag_s + exhaust::kNarrowCold_s * (1 - heated_);
    const double leaks = faults.exhaustLeak_gs > 0 ? s.airflow_gs / (s.airflow_gs + faults.exhaustLeak_gs) : 1;
    for (size_t b = 0; b < banks; ++b) {
        narrow_[b] += (past(b, s.tick, narrowDelay_s_) * leaks - narrow_[b]) * kStep_s / lag_s;
        if (s.tick % 10 == 0)
            s.banks[b].narrowband_V = 0.45 + 0.38 * std::min(1.0, heated_ * 2.5) * std::tanh((narrow_[b] - 1) * 60);
    }
    if (s.tick % 10 == 0) {
        double shown = 1 / std::max(widebandLag_, 0.1);
        if (cold_s_ >= 0 && !s.widebandReady)
            shown = exhaust::kColdShows + (shown - exhaust::kColdShows) * cold_s_ / faults.widebandCold_s;
        s.wideband = std::clamp(shown * (1 + 0.004 * noise_.normal()), 0.6, 4.0);
    }
}

}  // namespace brusk::benchcar
