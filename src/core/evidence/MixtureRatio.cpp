// The wideband read one delay later, over what was asked and trimmed; settled samples only.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/MixtureRatio.h"

#include <algorithm>
#include <cmath>

#include "core/recording/Expression.h"
#include "core/recording/Follower.h"
#include "core/roles/Needs.h"

namespace brusk::evidence {

namespace {

constexpr float kByDensity = 0, kByMeter = 1;  // of "air_source"
constexpr double kAtOne = 0.02;                // lambda asked for by a loop that is closed on a narrowband
constexpr double kTrims_s = 1.5;               // in which a closed loop moves its trim

/// The wideband is averaged this far to both sides of its moment, and over one sample at least.
double averageOf(const Series& wideband) {
    constexpr double kAverage_s = 0.03;
    const size_t n = wideband.time_s.size();
    const double period_s = n > 1 ? (wideband.time_s[n - 1] - wideband.time_s[0]) / static_cast<double>(n - 1) : 0;
    return std::max(kAverage_s, 0.75 * period_s);
}

/// Running count of flagged samples, so that "any in this stretch" costs one subtraction.
class Flags {
  public:
    explicit Flags(size_t n) : sum_(n + 1, 0) {}
    void set(size_t i, bool flag) { sum_[i + 1] = sum_[i] + flag; }
    bool any(size_t from, size_t to) const { return sum_[std::min(to + 1, sum_.size() - 1)] != sum_[from]; }

  private:
    std::vector<uint32_t> sum_;
};

/// Per sample: when its mixture is told, and which stretch of the drive that covers.
struct Window {
    std::vector<double> told_s;
    std::vector<uint32_t> last;  ///< sample of the drive by then

    Window(const EngineColumns& c, const WidebandDelay& delay) {
        recording::Follower until(c.time_s);
        for (size_t i = 0; i < c.time_s.size(); ++i) {
            const double tau = !c.wideband ? 0
                                           : delay.at(static_cast<double>(c.airflow_kgh[i]),
                                                      static_cast<double>(c.speed_rpm[i]), c.exhaustAt(i));
            told_s.push_back(c.time_s[i] + (std::isfinite(tau) ? tau : 0));
            last.push_back(static_cast<uint32_t>(until.orFirst(told_s.back())));
        }
    }
};

/// What moves, cuts or asks for something else, sample by sample.
struct Unrest {
    Flags cut, moving, asked, trimmed;

    Unrest(const EngineColumns& c, const SettlingRules& rules)
        : cut(c.time_s.size()), moving(c.time_s.size()), asked(c.time_s.size()), trimmed(c.time_s.size()) {
        recording::Follower before(c.time_s);
        for (size_t i = 0; i < c.time_s.size(); ++i) {
            const size_t j = before.orFirst(c.time_s[i] - rules.step_s);
            const auto change = [&](const Column& column) {
                return std::abs(static_cast<double>(column[i]) - static_cast<double>(column[j]));
            };
            cut.set(i, c.fuelCut[i] != 0);
            trimmed.set(i, i > 0 && c.shortTrim_pct[i] != c.shortTrim_pct[i - 1]);
            // A comparison with NaN is false, so what is missing counts as moving.
            const bool quiet =
                change(c.speed_rpm) <= rules.speedStep_rpm && change(c.pressure_kPa) <= rules.pressureStep_kPa &&
                change(c.throttle_pct) <= rules.throttleStep_pct && c.time_s[i] - c.time_s[j] < 2 * rules.step_s + 0.1;
            moving.set(i, !quiet);
            asked.set(i, !(change(c.lambdaAsked) <= rules.lambdaAskedStep));
        }
    }
};

/// Samples within a while after a stop that was long enough to soak the intake with heat.
std::vector<bool> soaked(const EngineColumns& c, double after_s) {
    constexpr double kStood_s = 120, kRolling_kmh = 3;
    std::vector<bool> out(c.time_s.size());
    if (c.road_kmh.empty()) return out;
    double stood_s = 0, until_s = -1;
    for (size_t i = 1; i < out.size(); ++i) {
        const bool stands = c.road_kmh[i] < static_cast<float>(kRolling_kmh);
        if (!stands && stood_s > kStood_s) until_s = c.time_s[i] + after_s;
        stood_s = stands ? stood_s + c.time_s[i] - c.time_s[i - 1] : 0;
        out[i] = stood_s > kStood_s || c.time_s[i] < until_s;
    }
    return out;
}

constexpr float kTurns_rpm = 400;

/// Samples within a while after the engine began to turn; where it turned from the first, nobody saw it begin.
std::vector<bool> started(const EngineColumns& c, double after_s) {
    std::vector<bool> out(c.time_s.size());
    double until_s = -1;
    for (size_t i = 1; i < out.size(); ++i) {
        if (c.speed_rpm[i] > kTurns_rpm && !(c.speed_rpm[i - 1] > kTurns_rpm)) until_s = c.time_s[i] + after_s;
        out[i] = c.time_s[i] < until_s;
    }
    return out;
}

/// Mean of 1/lambda around a moment, as lambda: the mean of the fuel's share is what the exhaust mixes.
double lambdaAround(const Series& wideband, double t, double average_s, recording::Follower& follower) {
    double sum = 0;
    int count = 0;
    for (size_t i = follower.at(t - average_s) + 1; i < wideband.value.size() && wideband.time_s[i] <= t + average_s;
         ++i) {
        sum += 1 / static_cast<double>(wideband.value[i]);
        ++count;
    }
    return count ? count / sum : std::nan("");
}

/// A rule for each finding that says something is sick; what the wideband tells is told later.
void addTaints(Filter& filter, const EngineColumns& c, const Window& window, std::span<const Taint> taints) {
    std::vector<std::string_view> checks;
    for (const Taint& taint : taints)
        if (tellsMixture(taint.role) && std::find(checks.begin(), checks.end(), taint.check) == checks.end())
            checks.push_back(taint.check);
    for (const std::string_view check : checks) {
        const auto* need = roles::needOf(roles::kCheckNeeds, check);
        filter.add(check, need ? need->title : check, [&c, &window, taints, check](size_t i) {
            return std::any_of(taints.begin(), taints.end(), [&](const Taint& taint) {
                if (taint.check != check || !tellsMixture(taint.role)) return false;
                return taint.where.holds(c.time_s[i]) ||
                       (taint.role == roles::Role("lambda_measured") && taint.where.holds(window.told_s[i]));
            });
        });
    }
}

Filter filterOf(const EngineColumns& c, const SettlingRules& rules, const Window& window, const Unrest& unrest,
                const std::vector<bool>& soak, const std::optional<PulseModel>& pulses, std::span<const Taint> taints) {
    Filter filter;
    addTaints(filter, c, window, taints);
    filter.add("not-running", "engine off", [&](size_t i) { return !(c.speed_rpm[i] > kTurns_rpm); });
    filter.add("cold", "engine cold", [&](size_t i) { return !(c.coolant_C[i] >= static_cast<float>(rules.warm_C)); });
    filter.add("just-started", "just started", [begun = started(c, rules.afterStart_s)](size_t i) { return begun[i]; });
    filter.add("fuel-cut", "fuel cut", [&, from = recording::Follower(c.time_s)](size_t i) mutable {
        return unrest.cut.any(from.orFirst(c.time_s[i] - rules.afterCut_s), window.last[i]);
    });
    filter.add("moving", "moving too fast", [&, from = recording::Follower(c.time_s)](size_t i) mutable {
        return unrest.moving.any(from.orFirst(c.time_s[i] - rules.window_s), window.last[i]);
    });
    filter.add("asked-changed", "target changed", [&](size_t i) { return unrest.asked.any(i, window.last[i]); });
    if (!c.limp.empty()) filter.add("limp", "limp mode", [&](size_t i) { return c.limp[i] > 0; });
    if (!c.purge_pct.empty())
        filter.add("purge", "canister vapour",
                   [&](size_t i) { return c.purge_pct[i] > static_cast<float>(rules.mostPurge_pct); });
    if (!c.road_kmh.empty()) filter.add("heat-soak", "intake heat-soaked", [&](size_t i) { return soak[i]; });
    if (pulses && !c.pulse_us.empty() && !c.battery_V.empty())
        filter.add("least-pulse", "least pulse", [&](size_t i) {
            const double open_us =
                static_cast<double>(c.pulse_us[i]) - pulses->dead(static_cast<double>(c.battery_V[i]));
            return pulses->leastPulse_us > 0 && open_us <= pulses->leastPulse_us * 1.01;
        });
    if (pulses && !c.duty_pct.empty())
        filter.add("duty-limit", "injector limit",
                   [&](size_t i) { return static_cast<double>(c.duty_pct[i]) >= pulses->dutyLimit_pct - 0.5; });
    if (!c.wideband) {
        filter.add("open-loop", "loop open, no wideband", [&, from = recording::Follower(c.time_s)](size_t i) mutable {
            const bool atOne = std::abs(static_cast<double>(c.lambdaAsked[i]) - 1) < kAtOne;
            return !atOne || !unrest.trimmed.any(from.orFirst(c.time_s[i] - kTrims_s) + 1, i);
        });
        return filter;
    }
    filter.add("no-wideband", "wideband silent",
               [&, average_s = averageOf(c.wideband), seen = recording::Follower(c.wideband.time_s)](size_t i) mutable {
                   if (c.wideband.value.empty()) return true;
                   const double t = window.told_s[i];
                   bool any = false;
                   for (size_t w = seen.at(t - average_s) + 1;
                        w < c.wideband.value.size() && c.wideband.time_s[w] <= t + average_s; ++w) {
                       const auto lambda = static_cast<double>(c.wideband.value[w]);
                       if (!(lambda > rules.leastLambda && lambda < rules.mostLambda)) return true;
                       any = true;
                   }
                   return !any;
               });
    return filter;
}

}  // namespace

bool tellsMixture(roles::Role role) {
    constexpr roles::Role kTelling[] = {"lambda_measured", "short_trim", "long_trim",          "engine_speed",
                                        "airflow",         "coolant",    "manifold_pressure",  "throttle",
                                        "injector_pulse",  "battery",    "intake_temperature", "lambda_asked"};
    return std::find(std::begin(kTelling), std::end(kTelling), role) != std::end(kTelling);
}

Result<MixtureSamples> mixtureSamples(const Sampled& drive, const EngineColumns& c, const WidebandDelay& delay,
                                      const SettlingRules& rules, const std::optional<PulseModel>& pulses,
                                      std::span<const Taint> taints, LeftOut& leftOut, FormsCompared& forms) {
    const Window window(c, delay);
    const Unrest unrest(c, rules);
    const auto soak = soaked(c, rules.afterStop_s);
    Filter filter = filterOf(c, rules, window, unrest, soak, pulses, taints);
    recording::Column wanted;
    if (!rules.expression.empty()) {
        const auto place = drive.recording().findRole("engine_speed");
        auto values = recording::evaluate(rules.expression, drive.recording(), *place.group);
        if (!values) return tl::unexpected(values.error());
        wanted = std::move(*values);
        filter.add("expression", "not wanted",
                   [&, wish = wanted.values()](size_t i) { return !(std::abs(wish[i]) > 0); });
    }
    MixtureSamples out;
    recording::Follower around(c.wideband.time_s), before(c.time_s);
    const double average_s = averageOf(c.wideband);
    const bool byPulse = c.wideband && pulses && !c.pulse_us.empty() && !c.battery_V.empty() && !c.air_mg.empty();
    double sum = forms.mean * static_cast<double>(forms.samples);
    double squares = (forms.spread * forms.spread + forms.mean * forms.mean) * static_cast<double>(forms.samples);
    for (const uint32_t i : filter.kept(c.time_s.size(), leftOut)) {
        // A closed loop swings around what its narrowband takes for one.
        const double measured = c.wideband ? lambdaAround(c.wideband, window.told_s[i], average_s, around)
                                           : static_cast<double>(c.lambdaAsked[i]);
        double ratio =
            airRatioOf(measured, static_cast<double>(c.lambdaAsked[i]), static_cast<double>(c.shortTrim_pct[i]) / 100,
                       static_cast<double>(c.longTrim_pct[i]) / 100);
        if (!std::isfinite(ratio) || ratio <= 0) continue;
        if (byPulse && c.air_mg[i] > 0) {
            const double fuel =
                pulses->fuel_mg(static_cast<double>(c.pulse_us[i]), static_cast<double>(c.battery_V[i]));
            const double told =
                std::log(measured * pulses->stoichiometric * fuel / static_cast<double>(c.air_mg[i]) / ratio);
            if (std::isfinite(told)) sum += told, squares += told * told, ++forms.samples;
        }
        out.row.push_back(i);
        out.ratio.push_back(static_cast<float>(ratio));
        // Each model learns from what it said itself, whoever was believed.
        const auto ofModel = [&](const Column& said_mg, bool believed) {
            if (!said_mg.empty() && !c.air_mg.empty())
                return ratio * static_cast<double>(c.air_mg[i]) / static_cast<double>(said_mg[i]);
            return believed ? ratio : std::nan("");
        };
        const bool tellsSource = !c.airSource.empty();
        out.density.push_back(
            static_cast<float>(ofModel(c.airByDensity_mg, !tellsSource || c.airSource[i] == kByDensity)));
        out.metered.push_back(static_cast<float>(ofModel(c.airByMeter_mg, tellsSource && c.airSource[i] == kByMeter)));
        const size_t j = before.orFirst(c.time_s[i] - rules.step_s);
        const double dt = c.time_s[i] - c.time_s[j];
        const double change = std::log(static_cast<double>(c.airflow_kgh[i]) / static_cast<double>(c.airflow_kgh[j]));
        out.airChange_s.push_back(static_cast<float>(dt > 0 && std::isfinite(change) ? change / dt : 0));
    }
    if (forms.samples) {
        const auto n = static_cast<double>(forms.samples);
        forms.mean = sum / n;
        forms.spread = std::sqrt(std::max(0.0, squares / n - forms.mean * forms.mean));
    }
    return out;
}

}  // namespace brusk::evidence
