// The wideband's delay from the data: what was injected, pushed through the pipe and the sensor, against what was
// measured, event by event.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/Delay.h"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>

#include "core/recording/Follower.h"

namespace brusk::evidence {
namespace {

constexpr double kFuel = 1.07;  // exhaust over air, by mass
constexpr double kLeastFlow_gs = 0.5;
constexpr double kLongest_s = 1.5;
constexpr double kFilmShare = 0.1, kFilm_s = 0.2;  // of a warm engine: Heywood, 7.6
constexpr double kBefore_s = 0.3, kAfter_s = 1.2;  // an event's window
constexpr double kWarmUp_s = 0.6;                  // that the sensor's model runs before it
constexpr double kAlike = 0.1;                     // samples of one event resemble each other: so many count
constexpr double kAnotherStory = 60;               // of the mean square of what is left
constexpr double kNoise = 0.005;                   // of 1 / lambda
constexpr size_t kMostTrims = 160, kMostCuts = 60, kMostTargets = 60, kLeastEvents = 10;

/// Of the gas in the pipe, between valve and sensor; where nobody tells the exhaust's temperature it rises with the
/// flow.
double pipe_K(double exhaust_C, double airflow_kgh) {
    const double gas_C = std::isnan(exhaust_C) ? 420 + 480 * (1 - std::exp(-airflow_kgh / 150)) : exhaust_C;
    return 0.8 * (gas_C + 273.15) + 0.2 * 320;
}

/// What is injected for the air, as a share of what the air can burn. By the pulses where they are known: the air that
/// the controller reckons with trembles, and the pulses with it, while the engine's own does not.
std::vector<double> injectedShare(const EngineColumns& c, const std::optional<PulseModel>& pulses) {
    const size_t n = c.time_s.size();
    std::vector<double> out(n);
    if (!pulses || c.pulse_us.empty() || c.battery_V.empty() || c.air_mg.empty()) {
        for (size_t i = 0; i < n; ++i)
            out[i] = c.share(i);
        return out;
    }
    constexpr double kCalm_s = 0.25;  // to both sides
    std::vector<double> sum(n + 1);
    for (size_t i = 0; i < n; ++i)
        sum[i + 1] = sum[i] + (std::isfinite(c.air_mg[i]) ? static_cast<double>(c.air_mg[i]) : 0);
    recording::Follower from(c.time_s), to(c.time_s);
    for (size_t i = 0; i < n; ++i) {
        const size_t a = from.orFirst(c.time_s[i] - kCalm_s), b = to.orFirst(c.time_s[i] + kCalm_s) + 1;
        const double air_mg = (sum[b] - sum[a]) / static_cast<double>(b - a);
        const double fuel_mg = pulses->fuel_mg(static_cast<double>(c.pulse_us[i]), static_cast<double>(c.battery_V[i]));
        // Beside a cut there is no mean to be had.
        const bool beside = c.fuelCut[a] != 0 || c.fuelCut[b - 1] != 0;
        out[i] = c.fuelCut[i] != 0 ? 0 : beside ? c.share(i) : fuel_mg * pulses->stoichiometric / std::max(air_mg, 1.0);
    }
    return out;
}

/// One drive, ready to be asked what would come by the sensor.
struct Pipe {
    const EngineColumns& c;
    double period_s;
    std::vector<double> share;     ///< that reaches the cylinders, the wall film counted
    std::vector<double> pushed_g;  ///< gas so far
    std::vector<double> mass;      ///< of the pipe's gas over that at the reference

    Pipe(const EngineColumns& columns, const std::optional<PulseModel>& pulses) : c(columns) {
        const size_t n = c.time_s.size();
        const std::vector<double> told = injectedShare(c, pulses);
        period_s = n > 1 ? (c.time_s[n - 1] - c.time_s[0]) / static_cast<double>(n - 1) : 0.01;
        share.resize(n), pushed_g.resize(n), mass.resize(n);
        double film = n && std::isfinite(told[0]) ? told[0] : 0, pushed = 0;
        for (size_t i = 0; i < n; ++i) {
            const double dt = i ? std::min(c.time_s[i] - c.time_s[i - 1], 0.5) : 0;
            const double injected = std::isfinite(told[i]) ? told[i] : film;
            film += (injected - film) * std::min(1.0, dt / kFilm_s);
            share[i] = (1 - kFilmShare) * injected + kFilmShare * film;
            const auto flow = static_cast<double>(c.airflow_kgh[i]);
            pushed += std::max(std::isfinite(flow) ? flow / 3.6 * kFuel : 0, kLeastFlow_gs) * dt;
            pushed_g[i] = pushed;
            mass[i] = WidebandDelay::kReference_K / pipe_K(c.exhaustAt(i), flow);
        }
    }
    double between(const std::vector<double>& column, size_t i, double t) const {
        if (i + 1 >= column.size()) return column[i];
        const double width = c.time_s[i + 1] - c.time_s[i];
        const double u = width > 0 ? std::clamp((t - c.time_s[i]) / width, 0.0, 1.0) : 0;
        return column[i] + u * (column[i + 1] - column[i]);
    }
};

enum class Kind { Cut, Target, Trim };

struct Event {
    uint32_t drive = 0;
    Kind kind = Kind::Trim;
    size_t from = 0, begin = 0, end = 0;  ///< wideband samples: the model's first, the window's first, and beyond it
    double weight = 1;
};

constexpr int kUnknowns = 4;
using Vector = Eigen::Matrix<double, kUnknowns, 1>;
using Matrix = Eigen::Matrix<double, kUnknowns, kUnknowns>;

/// What is looked for: ln of the mass in g, ln of the lag in s, cycles, and what the electronics take, s.
enum { kLnMass, kLnLag, kCycles, kAfter };
const Vector kExpected(std::log(0.9), std::log(0.06), 0.75, 0.008);
const Vector kSpread(0.8, 0.4, 0.05, 0.003);
const Vector kStep(0.02, 0.05, 0.03, 0.002);

/// Where cuts, targets and trims step. Everything else must be quiet for trims.
std::vector<Event> eventsOf(const EngineColumns& c, uint32_t drive) {
    std::vector<Event> trims, cuts, targets;
    const size_t n = c.time_s.size();
    if (n < 100 || c.wideband.value.size() < 100) return {};
    recording::Follower step(c.time_s), calm(c.time_s), wide(c.wideband.time_s), after(c.time_s);
    double free_s = c.time_s[0] + 2, burning_s = c.time_s[0];
    recording::Follower first(c.time_s), last(c.time_s);
    const auto moved_kPa = [&](double from_s, double to_s) {
        const size_t a = first.orFirst(from_s), b = last.orFirst(to_s);
        const auto [low, high] = std::minmax_element(c.pressure_kPa.begin() + static_cast<long>(a),
                                                     c.pressure_kPa.begin() + static_cast<long>(b) + 1);
        return static_cast<double>(*high - *low);
    };
    const auto add = [&](std::vector<Event>& to, Kind kind, double t, double length_s) {
        const auto at = [&](double when) { return wide.orFirst(when); };
        Event e{drive, kind, at(t - kBefore_s - kWarmUp_s), at(t - kBefore_s), at(t + length_s), 1};
        // Far down in a cut the film that dries and the sensor's own end are all that is seen.
        if (kind == Kind::Cut) {
            const float most = c.wideband.value[e.begin] / 0.45f;
            size_t k = e.begin;
            while (k < e.end && c.wideband.value[k] < most)
                ++k;
            e.end = k;
        }
        const auto values = c.wideband.value.subspan(e.begin, e.end - e.begin);
        const bool whole = std::all_of(values.begin(), values.end(), [](float v) { return v > 0.3f; });
        const double most_kPa = kind == Kind::Trim ? 4 : kind == Kind::Target ? 8 : 1000;
        if (whole && e.end > e.begin + 20 && moved_kPa(t - 0.4, t + length_s) < most_kPa)
            to.push_back(e), free_s = t + (kind == Kind::Trim ? 0.5 : length_s);
    };
    for (size_t i = 1; i < n; ++i) {
        const double t = c.time_s[i];
        const size_t back = step.orFirst(t - 0.05), quiet = calm.orFirst(t - 0.4);
        if (c.fuelCut[i] != 0) {
            const bool begins = c.fuelCut[i - 1] == 0 && t - burning_s > 1 && c.speed_rpm[i] > 1500 && t > free_s;
            if (begins && c.fuelCut[after.orFirst(t + 0.7)] != 0) add(cuts, Kind::Cut, t, 1.0);
            burning_s = t;
            continue;
        }
        if (t < free_s || t - burning_s < 1.5 || !(c.speed_rpm[i] > 400)) continue;
        const auto change = [&](const Column& column, size_t k) {
            return std::abs(static_cast<double>(column[i]) - static_cast<double>(column[k]));
        };
        if (change(c.lambdaAsked, quiet) > 0.03) {
            add(targets, Kind::Target, t, kAfter_s + 0.3);
        } else if (change(c.shortTrim_pct, back) > 0.6 && change(c.lambdaAsked, quiet) < 0.005) {
            add(trims, Kind::Trim, t, kAfter_s);
        }
    }
    // Evenly out of too many.
    std::vector<Event> out;
    const auto take = [&](const std::vector<Event>& all, size_t most) {
        const size_t stride = std::max<size_t>(1, (all.size() + most - 1) / most);
        for (size_t i = 0; i < all.size(); i += stride)
            out.push_back(all[i]);
    };
    take(targets, kMostTargets), take(trims, kMostTrims);
    // Walls that dry and a throttle that shuts blur a cut: it speaks where nothing clearer does.
    if (out.size() < kLeastEvents) take(cuts, kMostCuts);
    return out;
}

class Fit {
  public:
    Fit(const std::vector<EngineColumns>& drives, const std::optional<PulseModel>& pulses) {
        pipes_.reserve(drives.size());
        for (uint32_t i = 0; i < drives.size(); ++i) {
            pipes_.emplace_back(drives[i], pulses);
            for (const Event& e : eventsOf(drives[i], i))
                events_.push_back(e);
        }
    }
    size_t events() const { return events_.size(); }

    /// What remains of one event, in units of the noise, its level and its size being free within reason; a last
    /// number holds the size.
    void left(const Event& e, const Vector& theta, std::vector<double>& out) {
        predict(e, theta);
        const EngineColumns& c = pipes_[e.drive].c;
        double n = 0, sp = 0, sy = 0, spp = 0, spy = 0;
        for (size_t k = e.begin; k < e.end; ++k) {
            const double y = shareAt(c, k), p = predicted_[k - e.from];
            n += 1, sp += p, sy += y, spp += p * p, spy += p * y;
        }
        spp -= sp * sp / n, spy -= sp * sy / n;
        // Size one, within a tenth.
        constexpr double kHold = kNoise * kNoise / (0.1 * 0.1);
        const double size = (spy + kHold) / (spp + kHold), level = (sy - size * sp) / n;
        const double scale = std::sqrt(e.weight) / kNoise;
        for (size_t k = e.begin; k < e.end; ++k)
            out.push_back(scale * (shareAt(c, k) - level - size * predicted_[k - e.from]));
        out.push_back(scale * std::sqrt(kHold) * (size - 1));
    }
    std::vector<double> lefts(const Vector& theta) {
        std::vector<double> out;
        for (const Event& e : events_)
            left(e, theta, out);
        return out;
    }
    /// What an event can't explain is more than noise: it counts the less.
    void weigh(const Vector& theta) {
        std::vector<double> each;
        for (Event& e : events_) {
            e.weight = 1;  // to see what is left in units of the noise
            each.clear();
            left(e, theta, each);
            double squares = 0;
            for (const double v : each)
                squares += v * v;
            const double mean = squares / static_cast<double>(each.size());
            e.weight = mean > kAnotherStory ? 0 : kAlike / std::max(1.0, mean);
        }
    }
    size_t used() const {
        return static_cast<size_t>(
            std::count_if(events_.begin(), events_.end(), [](const Event& e) { return e.weight > 0; }));
    }
    /// Calls with each event's first and behind its last number in lefts().
    template <class Each>
    void eachSpan(Each call) const {
        size_t at = 0;
        for (const Event& e : events_) {
            const size_t n = e.end - e.begin + 1;
            call(at, at + n);
            at += n;
        }
    }

  private:
    static double shareAt(const EngineColumns& c, size_t k) { return 1 / static_cast<double>(c.wideband.value[k]); }

    void predict(const Event& e, const Vector& theta) {
        Pipe& p = pipes_[e.drive];
        const EngineColumns& c = p.c;
        const double mass_g = std::exp(theta[kLnMass]), lag_s = std::exp(theta[kLnLag]);
        predicted_.resize(e.end - e.from);
        recording::Follower now(c.time_s), left(p.pushed_g), injected(c.time_s);
        double shown = std::nan("");
        for (size_t k = e.from; k < e.end; ++k) {
            const double t = c.wideband.time_s[k] - theta[kAfter];
            const size_t i = now.orFirst(t);
            const double came_g = p.between(p.pushed_g, i, t) - mass_g * p.mass[i];
            const size_t j = left.orFirst(came_g);
            double leaves_s = c.time_s[j];
            if (j + 1 < p.pushed_g.size() && p.pushed_g[j + 1] > p.pushed_g[j])
                leaves_s += (c.time_s[j + 1] - c.time_s[j]) *
                            std::clamp((came_g - p.pushed_g[j]) / (p.pushed_g[j + 1] - p.pushed_g[j]), 0.0, 1.0);
            leaves_s = std::max(leaves_s, t - kLongest_s);
            // A value holds until the next: between samples it is told half a period late.
            const double at_s =
                leaves_s - theta[kCycles] * 120 / std::max(200.0, static_cast<double>(c.speed_rpm[j])) - p.period_s / 2;
            const double came = p.between(p.share, injected.orFirst(at_s), at_s);
            const double dt = k > e.from ? c.wideband.time_s[k] - c.wideband.time_s[k - 1] : 0;
            shown = std::isnan(shown) ? came : shown + (came - shown) * (1 - std::exp(-dt / lag_s));
            predicted_[k - e.from] = shown;
        }
    }

    std::vector<Pipe> pipes_;
    std::vector<Event> events_;
    std::vector<double> predicted_;
};

double cost(const std::vector<double>& lefts, const Vector& theta) {
    double out = (theta - kExpected).cwiseQuotient(kSpread).squaredNorm();
    for (const double v : lefts)
        out += v * v;
    return out;
}

/// Slopes of what is left, a column each, by differences.
Eigen::MatrixXd slopes(Fit& fit, const Vector& theta) {
    Eigen::MatrixXd out;
    for (int i = 0; i < kUnknowns; ++i) {
        Vector up = theta, down = theta;
        up[i] += kStep[i], down[i] -= kStep[i];
        const auto a = fit.lefts(up), b = fit.lefts(down);
        if (i == 0) out.resize(static_cast<Eigen::Index>(a.size()), kUnknowns);
        for (size_t k = 0; k < a.size(); ++k)
            out(static_cast<Eigen::Index>(k), i) = (a[k] - b[k]) / (2 * kStep[i]);
    }
    return out;
}

const Matrix& priorPrecision() {
    static const Matrix precision = kSpread.cwiseProduct(kSpread).cwiseInverse().asDiagonal();
    return precision;
}

/// Steps downhill from `theta` until it no longer pays.
Vector settle(Fit& fit, Vector theta) {
    double damping = 1e-3;
    for (int pass = 0; pass < 12; ++pass) {
        fit.weigh(theta);
        const auto left = fit.lefts(theta);
        const double before = cost(left, theta);
        const Eigen::MatrixXd slope = slopes(fit, theta);
        const Eigen::Map<const Eigen::VectorXd> r(left.data(), static_cast<Eigen::Index>(left.size()));
        const Matrix curvature = slope.transpose() * slope + priorPrecision();
        const Vector downhill = -(slope.transpose() * r + priorPrecision() * (theta - kExpected));
        Vector by;
        bool better = false;
        for (int tries = 0; tries < 6 && !better; ++tries) {
            Matrix damped = curvature;
            damped.diagonal() *= 1 + damping;
            by = damped.ldlt().solve(downhill);
            better = cost(fit.lefts(theta + by), theta + by) < before;
            damping = better ? damping / 4 : damping * 8;
        }
        if (!better) break;
        theta += by;
        if (by.cwiseQuotient(kStep).cwiseAbs().maxCoeff() < 0.05) break;
    }
    return theta;
}

}  // namespace

double WidebandDelay::transport_s(double airflow_kgh, double speed_rpm, double exhaust_C) const {
    const double flow_gs = std::max(airflow_kgh / 3.6 * kFuel, kLeastFlow_gs);
    return std::min(kLongest_s, cycles * 120 / std::max(speed_rpm, 200.0) +
                                    mass_g * kReference_K / pipe_K(exhaust_C, airflow_kgh) / flow_gs);
}

double WidebandDelay::doubt_s(double airflow_kgh, double speed_rpm, double exhaust_C) const {
    const double flow_gs = std::max(airflow_kgh / 3.6 * kFuel, kLeastFlow_gs);
    const double pushed_s = mass_g * kReference_K / pipe_K(exhaust_C, airflow_kgh) / flow_gs;
    const double cycle_s = 120 / std::max(speed_rpm, 200.0);
    return std::sqrt(std::max(0.0, std::pow(pushed_s * massDoubt, 2) + std::pow(cycle_s * cyclesDoubt, 2) +
                                       2 * pushed_s * cycle_s * together));
}

WidebandDelay measureDelay(const std::vector<EngineColumns>& drives, const std::optional<PulseModel>& pulses) {
    WidebandDelay out;
    Fit fit(drives, pulses);
    if (fit.events() < kLeastEvents) return out;
    Vector best = kExpected;
    double least = std::numeric_limits<double>::max();
    for (double mass_g = 0.2; mass_g < 4; mass_g *= 1.25)
        for (const double lag_s : {0.03, 0.06, 0.12}) {
            Vector theta = kExpected;
            theta[kLnMass] = std::log(mass_g), theta[kLnLag] = std::log(lag_s);
            if (const double here = cost(fit.lefts(theta), theta); here < least) least = here, best = theta;
        }
    best = settle(fit, best);
    if (fit.used() < kLeastEvents) return out;
    // Events are what is independent: the spread of their pulls tells how far they would move the answer.
    const auto left = fit.lefts(best);
    const Eigen::MatrixXd slope = slopes(fit, best);
    const Matrix curvature = slope.transpose() * slope + priorPrecision();
    Matrix spread = priorPrecision();
    fit.eachSpan([&](size_t from, size_t to) {
        Vector pull = Vector::Zero();
        for (size_t k = from; k < to; ++k)
            pull += left[k] * slope.row(static_cast<Eigen::Index>(k)).transpose();
        spread += pull * pull.transpose();
    });
    const Matrix inverse = curvature.inverse();
    const Matrix covariance = inverse * spread * inverse;
    out.mass_g = std::exp(best[kLnMass]);
    out.lag_s = std::exp(best[kLnLag]);
    out.cycles = best[kCycles];
    out.after_s = best[kAfter];
    // How warm the pipe keeps its gas is a rule of thumb.
    constexpr double kPipe = 0.05;
    out.massDoubt = std::hypot(kPipe, std::sqrt(covariance(kLnMass, kLnMass)));
    out.lagDoubt = std::sqrt(covariance(kLnLag, kLnLag));
    out.cyclesDoubt = std::sqrt(covariance(kCycles, kCycles));
    out.together = covariance(kLnMass, kCycles);
    out.events = fit.used();
    constexpr double kTooVague = 0.35;
    if (out.massDoubt > kTooVague) return WidebandDelay{};
    out.from = WidebandDelay::From::Measured;
    return out;
}

}  // namespace brusk::evidence
