// The wideband's delay from the data: steps of what was injected against steps of what was measured.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <cmath>

#include "core/evidence/Settling.h"

namespace brusk::evidence {
namespace {

constexpr double kGrid_s = 0.01;   // both signals are laid on a 100 Hz grid
constexpr double kStep_s = 0.10;   // a "step" is the change over this
constexpr double kSteady_s = 0.3;  // pressure must be steady this long, or the air changes with the fuel
constexpr size_t kLeast = 600;
constexpr double kLeastCorrelation = 0.35;
constexpr double kLongest_s = 1.2;

/// One sample of the search: an injected step, the airflow then, and where on the measured grid its time lies.
struct Step {
    double change;
    double perFlow;  ///< 1 / airflow
    size_t grid;     ///< index into the recording's measured steps
    uint32_t recording;
};

struct Measured {
    std::vector<float> steps;
};

/// Changes of 1/lambda over kStep_s on the grid that starts at `begin_s`.
Measured measuredSteps(const EngineColumns& c, double begin_s) {
    Measured out;
    if (c.widebandTime_s.size() < 2) return out;
    const auto cells = static_cast<size_t>(std::max(0.0, (c.widebandTime_s.back() - begin_s) / kGrid_s)) + 1;
    std::vector<float> share(cells);
    size_t at = 0;
    for (size_t i = 0; i < cells; ++i) {
        const double t = begin_s + static_cast<double>(i) * kGrid_s;
        while (at + 1 < c.widebandTime_s.size() && c.widebandTime_s[at + 1] <= t)
            ++at;
        share[i] = static_cast<float>(1 / std::max(c.wideband[at], 0.3));
    }
    const auto lag = static_cast<size_t>(kStep_s / kGrid_s);
    out.steps.assign(cells, 0);
    for (size_t i = lag; i < cells; ++i)
        out.steps[i] = share[i] - share[i - lag];
    return out;
}

void collectSteps(const EngineColumns& c, uint32_t number, std::vector<Step>& out) {
    const size_t n = c.time_s.size();
    size_t back = 0;
    size_t calm = 0;
    for (size_t i = 0; i < n; ++i) {
        while (c.time_s[back] < c.time_s[i] - kStep_s)
            ++back;
        while (c.time_s[calm] < c.time_s[i] - kSteady_s)
            ++calm;
        const bool burning = c.fuelCut[i] == 0 && c.fuelCut[calm] == 0 && c.speed_rpm[i] > 400;
        if (!burning || !(std::abs(c.pressure_kPa[i] - c.pressure_kPa[calm]) < 3) || !(c.airflow_kgh[i] > 2)) continue;
        const auto injected = [&](size_t k) { return (1 + c.shortTrim[k]) * (1 + c.longTrim[k]) / c.lambdaAsked[k]; };
        const double change = injected(i) - injected(back);
        if (!std::isfinite(change) || std::abs(change) > 0.2) continue;
        out.push_back({change, 1 / c.airflow_kgh[i],
                       static_cast<size_t>(std::lround((c.time_s[i] - c.time_s.front()) / kGrid_s)), number});
    }
}

double correlation(const std::vector<Step>& steps, const std::vector<Measured>& measured, double a, double b,
                   size_t stride) {
    double uy = 0, uu = 0, yy = 0;
    for (size_t k = 0; k < steps.size(); k += stride) {
        const Step& s = steps[k];
        const double tau = std::min(kLongest_s, a + b * s.perFlow);
        const size_t at = s.grid + static_cast<size_t>(std::lround(tau / kGrid_s));
        const auto& series = measured[s.recording].steps;
        if (at >= series.size()) continue;
        const double y = series[at];
        if (std::abs(y) > 0.3) continue;
        uy += s.change * y;
        uu += s.change * s.change;
        yy += y * y;
    }
    return uu > 0 && yy > 0 ? uy / std::sqrt(uu * yy) : 0;
}

}  // namespace

WidebandDelay measureDelay(const std::vector<EngineColumns>& recordings) {
    std::vector<Step> steps;
    std::vector<Measured> measured;
    for (uint32_t i = 0; i < recordings.size(); ++i) {
        const EngineColumns& c = recordings[i];
        measured.push_back(c.time_s.empty() ? Measured{} : measuredSteps(c, c.time_s.front()));
        if (!c.time_s.empty()) collectSteps(c, i, steps);
    }
    WidebandDelay best;
    if (steps.size() < kLeast) return best;
    const size_t stride = std::max<size_t>(1, steps.size() / 30000);
    double top = -1;
    const auto search = [&](double aFrom, double aTo, double aBy, double bFrom, double bTo, double bBy) {
        for (double a = aFrom; a <= aTo + 1e-9; a += aBy)
            for (double b = bFrom; b <= bTo + 1e-9; b += bBy) {
                const double value = correlation(steps, measured, a, b, stride);
                if (value > top) top = value, best.a_s = a, best.b_s_kgh = b;
            }
    };
    search(0.02, 0.20, 0.02, 0.5, 6.0, 0.5);
    const WidebandDelay coarse = best;
    search(std::max(0.01, coarse.a_s - 0.02), coarse.a_s + 0.02, 0.01, std::max(0.1, coarse.b_s_kgh - 0.4),
           coarse.b_s_kgh + 0.4, 0.1);
    if (top < kLeastCorrelation) return WidebandDelay{};
    best.correlation = top;
    best.measured = true;
    return best;
}

}  // namespace brusk::evidence
