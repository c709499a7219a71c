// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/Settling.h"

#include <algorithm>
#include <cmath>

#include "core/evidence/Sampled.h"

namespace brusk::evidence {

double WidebandDelay::at(double airflow_kgh) const {
    return std::min(1.5, a_s + b_s_kgh / std::max(airflow_kgh, 2.0));
}

SettlingCost& SettlingCost::operator+=(const SettlingCost& o) {
    recorded += o.recorded;
    settled += o.settled;
    notRunning += o.notRunning;
    cold += o.cold;
    fuelCut += o.fuelCut;
    moving += o.moving;
    askedChanged += o.askedChanged;
    noWideband += o.noWideband;
    return *this;
}

Result<EngineColumns> engineColumns(const recording::Recording& recording) {
    EngineColumns out;
    const Sampled sampled(recording);
    const auto speed = sampled.column("engine_speed");
    if (!speed) return tl::unexpected(speed.error());
    out.time_s = speed->group->time_s;
    struct Wanted {
        roles::Role role;
        std::vector<double>* column;
    };
    const Wanted wanted[] = {{"engine_speed", &out.speed_rpm},   {"manifold_pressure", &out.pressure_kPa},
                             {"throttle", &out.throttle_pct},    {"coolant", &out.coolant_C},
                             {"lambda_asked", &out.lambdaAsked}, {"short_trim", &out.shortTrim},
                             {"long_trim", &out.longTrim},       {"airflow", &out.airflow_kgh},
                             {"fuel_cut", &out.fuelCut}};
    for (const auto& [role, column] : wanted) {
        auto values = sampled.onClock(role, *speed->group);
        if (!values) return tl::unexpected(values.error());
        *column = std::move(*values);
    }
    // Trims are computed with as fractions.
    for (auto* trim : {&out.shortTrim, &out.longTrim})
        for (double& value : *trim)
            value /= 100;
    const auto wideband = sampled.column("lambda_measured");
    if (!wideband) return tl::unexpected(wideband.error());
    out.widebandTime_s = wideband->group->time_s;
    out.wideband.resize(wideband->size());
    for (size_t i = 0; i < wideband->size(); ++i)
        out.wideband[i] = (*wideband)[i];
    return out;
}

namespace {

/// Running count of flagged samples, so that "any in this stretch" costs one subtraction.
class Flags {
  public:
    explicit Flags(size_t n) : sum_(n + 1, 0) {}
    void set(size_t i, bool flag) { sum_[i + 1] = sum_[i] + flag; }
    bool any(size_t from, size_t to) const { return sum_[std::min(to + 1, sum_.size() - 1)] != sum_[from]; }

  private:
    std::vector<uint32_t> sum_;
};

/// Walks a rising time column: the last index not after t, for t that rarely falls.
class Cursor {
  public:
    explicit Cursor(const std::vector<double>& time) : time_(time) {}
    size_t at(double t) {
        while (at_ + 1 < time_.size() && time_[at_ + 1] <= t)
            ++at_;
        while (at_ > 0 && time_[at_] > t)
            --at_;
        return at_;
    }

  private:
    const std::vector<double>& time_;
    size_t at_ = 0;
};

}  // namespace

std::vector<uint32_t> settledSamples(const EngineColumns& c, const WidebandDelay& delay, const SettlingRules& rules,
                                     SettlingCost& cost) {
    const size_t n = c.time_s.size();
    cost.recorded += n;
    Flags cut(n);
    Flags moving(n);
    Flags asked(n);
    Cursor before(c.time_s);
    for (size_t i = 0; i < n; ++i) {
        const size_t j = before.at(c.time_s[i] - rules.step_s);
        cut.set(i, c.fuelCut[i] != 0);
        // A comparison with NaN is false, so what is missing counts as moving.
        const bool quiet = std::abs(c.speed_rpm[i] - c.speed_rpm[j]) <= rules.speedStep_rpm &&
                           std::abs(c.pressure_kPa[i] - c.pressure_kPa[j]) <= rules.pressureStep_kPa &&
                           std::abs(c.throttle_pct[i] - c.throttle_pct[j]) <= rules.throttleStep_pct &&
                           c.time_s[i] - c.time_s[j] < 2 * rules.step_s + 0.1;
        moving.set(i, !quiet);
        asked.set(i, !(std::abs(c.lambdaAsked[i] - c.lambdaAsked[j]) <= rules.lambdaAskedStep));
    }
    std::vector<uint32_t> kept;
    Cursor cutFrom(c.time_s), windowFrom(c.time_s), until(c.time_s), seen(c.widebandTime_s);
    for (size_t i = 0; i < n; ++i) {
        const double t = c.time_s[i];
        const double tau = delay.at(c.airflow_kgh[i]);
        const size_t end = until.at(t + tau);
        if (!(c.speed_rpm[i] > 400)) {
            ++cost.notRunning;
        } else if (!(c.coolant_C[i] >= rules.warm_C)) {
            ++cost.cold;
        } else if (cut.any(cutFrom.at(t - rules.afterCut_s), end)) {
            ++cost.fuelCut;
        } else if (moving.any(windowFrom.at(t - rules.window_s), end)) {
            ++cost.moving;
        } else if (asked.any(i, end)) {
            ++cost.askedChanged;
        } else {
            const size_t w = c.widebandTime_s.empty() ? 0 : seen.at(t + tau);
            const bool there = !c.widebandTime_s.empty() && std::abs(c.widebandTime_s[w] - (t + tau)) < 0.05 &&
                               c.wideband[w] > rules.leastLambda && c.wideband[w] < rules.mostLambda;
            if (!there) {
                ++cost.noWideband;
            } else {
                kept.push_back(static_cast<uint32_t>(i));
            }
        }
    }
    cost.settled += kept.size();
    return kept;
}

}  // namespace brusk::evidence
