// Boost: what is wanted, how it is held, and the fuel that goes with it.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>

#include "core/proposals/base/Draft.h"

namespace brusk::proposals {
namespace {

/// Whether this car has a boost control to speak of.
bool boosted(const Draft& d) {
    return d.plays("boost_target") || d.has(Fact::BoostCeiling) || d.has(Fact::TurboSpring);
}

double originalMost(const Draft& d) {
    return d.plays("boost_target") ? greatest(d.original("boost_target")) : kWeather_kPa;
}

void boostTarget(Draft& d) {
    if (!boosted(d)) return;
    const double ceiling = d.fitted(Fact::BoostCeiling);
    const double was = originalMost(d) - kWeather_kPa;
    const double wanted = d.choose(d.sheet.wish == Wish::Economy ? std::min(ceiling, was) : ceiling, "kPa");
    const double factor = wanted / was;
    d.each("boost_target", [&](double, double, double kPa) {
        return kPa > kWeather_kPa ? kWeather_kPa + (kPa - kWeather_kPa) * factor : kPa;
    });
    d.reason = "The boost that is wanted, in the shape its maker gave it over speed and pedal.";
    d.formula =
        "weather + (target - weather) x " + text(wanted) + " / " + text(was) + " kPa = boost x " + text(factor, 3);
    if (const auto spring = d.sheet.of(Fact::TurboSpring); spring && *spring > wanted)
        d.remark("The wastegate's spring holds " + text(*spring) +
                 " kPa by itself; less than that can't be had with this turbo.");
    d.check = "overshoot on the first pull in third gear";
}

/// A column of the duty map as the actuator works: boost = spring / (1 - bleed x duty), so duty is a line over 1 /
/// boost with 1 / bleed where it meets zero.
struct Actuator {
    double inverseBleed = 0, spring_kPa = 0;
    bool known = false;
};

Actuator actuatorOf(const calibration::Table& map, size_t column) {
    double n = 0, sx = 0, sy = 0, sxx = 0, sxy = 0;
    for (size_t r = 0; r < map.rows; ++r) {
        const double boost = map.y.values[r] - kWeather_kPa, duty = map.at(r, column);
        if (boost <= 1 || duty <= 0) continue;
        const double x = 1 / boost;
        ++n, sx += x, sy += duty, sxx += x * x, sxy += x * duty;
    }
    const double spread = n * sxx - sx * sx;
    if (n < 2 || spread <= 0) return {};
    const double slope = (n * sxy - sx * sy) / spread;
    const double zero = (sy - slope * sx) / n;
    if (slope >= 0 || zero <= 0) return {};
    return {zero, -slope / zero, true};
}

/// For a column with too few duties of its own: the others' bleed, and the spring that its one duty tells, or that its
/// highest boost without any does.
Actuator guessed(const calibration::Table& map, size_t column, double inverseBleed, double spring_kPa) {
    Actuator out{inverseBleed, spring_kPa, true};
    for (size_t r = 0; r < map.rows; ++r) {
        const double boost = map.y.values[r] - kWeather_kPa, duty = map.at(r, column);
        if (duty > 0) return {inverseBleed, boost * (1 - duty / inverseBleed), true};
        out.spring_kPa = std::max(out.spring_kPa, boost);
    }
    return out;
}

void wastegateDuty(Draft& d) {
    if (!boosted(d)) return;
    const double spring = d.fitted(Fact::TurboSpring), was = d.stock(Fact::TurboSpring);
    const auto old = d.table("wastegate_duty");
    const double most = greatest(d.table("boost_target"));
    if (!d.ready()) return;
    std::vector<Actuator> columns(old.columns);
    double bleed = 0, count = 0;
    for (size_t c = 0; c < old.columns; ++c) {
        columns[c] = actuatorOf(old, c);
        if (columns[c].known) bleed += columns[c].inverseBleed, ++count;
    }
    if (count == 0) {
        d.lack("a base duty map that its maker filled");
        return;
    }
    if (old.y.values.back() < most) {
        std::vector<double> axis = old.y.values;
        for (double& v : axis)
            v = kWeather_kPa + (v - kWeather_kPa) * (most * 1.02 - kWeather_kPa) / (axis.back() - kWeather_kPa);
        d.move("wastegate_duty", 1, calibration::stretched(old.y.values, old.y.values.front(), most * 1.02));
    }
    const auto now = d.table("wastegate_duty");
    std::vector<double> duty(now.values.size());
    for (size_t r = 0; r < now.rows; ++r)
        for (size_t c = 0; c < now.columns; ++c) {
            Actuator a = columns[c];
            if (!a.known) a = guessed(old, c, bleed / count, was);
            const double boost = now.y.values[r] - kWeather_kPa;
            const double opens = a.spring_kPa + spring - was;
            duty[r * now.columns + c] = boost > opens ? a.inverseBleed * (1 - opens / boost) : 0;
        }
    d.set("wastegate_duty", duty);
    d.reason =
        "A stiffer spring needs less duty for the same boost. How the actuator answers to duty is read from its "
        "maker's own map.";
    d.formula = "boost = spring / (1 - b x duty), b from the maker's map = " + text(count / bleed * 100, 2) +
                "; spring " + text(was) + " to " + text(spring) + " kPa: duty = (1 - spring / boost) / b";
    d.check = "boost error in steady boost: the integral part near zero means the base duty is right";
}

void boostControl(Draft& d) {
    if (!boosted(d)) return;
    const double wheel = d.fitted(Fact::CompressorWheel), was = d.stock(Fact::CompressorWheel);
    const double inertia = std::pow(wheel / was, 5), heavier = d.choose(inertia, "times");
    d.set("boost_i", d.value("boost_i") / heavier);
    if (d.plays("boost_d")) d.set("boost_d", d.value("boost_d") * heavier);
    d.reason =
        "The inertia of a wheel goes with the fifth power of its diameter. A heavier one answers later: less integral, "
        "more attention to the rise, or it overshoots.";
    d.formula = "inertia x (" + text(wheel, 1) + " mm / " + text(was, 1) + " mm)^5 = x " + text(inertia, 2) +
                "; integral / " + text(inertia, 2) + ", damping x " + text(inertia, 2);
    d.check = "overshoot and swinging when boost comes in";
}

void boostCut(Draft& d) {
    if (!boosted(d) || !d.plays("boost_cut")) return;
    const double was = originalMost(d), is = greatest(d.table("boost_target"));
    if (std::abs(is - was) < 0.5) return;
    const double cut = d.choose(is + d.originalValue("boost_cut") - was, "kPa");
    d.set("boost_cut", cut);
    d.reason =
        "The cut keeps its distance to the greatest target: nearer it would cut in healthy boost, farther it would "
        "protect nothing.";
    d.formula = "greatest target " + text(is) + " kPa + margin " + text(d.originalValue("boost_cut") - was) +
                " kPa = " + text(cut) + " kPa absolute";
    d.check = "no cut on the first pull in full boost";
}

void boostLambda(Draft& d) {
    const double was = originalMost(d), is = d.plays("boost_target") ? greatest(d.table("boost_target")) : was;
    if (!(is > was + 0.5)) return;
    constexpr double kRicher = 0.0014;  // lambda for a kilopascal beyond what its maker drove
    const auto map = d.table("lambda_map");
    if (map.values.empty()) return;
    d.each("lambda_map", [&](double rpm, double kPa, double lambda) {
        if (kPa <= was) return lambda;
        return std::min(lambda, calibration::surfaceAt(map, rpm, was) - kRicher * (kPa - was));
    });
    d.reason =
        "Beyond its maker's boost nobody measured its target; it goes on falling so that the charge stays cool. "
        "What is richer already stays.";
    d.formula = "above " + text(was) + " kPa: lambda there - 0.0014 for each kPa more";
    d.check = "exhaust temperature and lambda in full boost";
}

void fullLoadFuel(Draft& d) {
    const double was = originalMost(d), is = d.plays("boost_target") ? greatest(d.table("boost_target")) : was;
    if (!(is > was + 0.5) || !d.plays("full_load_lambda")) return;
    constexpr double kRicher = 0.0006;  // lambda for a kilopascal more of boost
    const double computed = kRicher * (is - was), richer = d.choose(computed, "lambda");
    d.each("full_load_lambda", [&](double, double, double lambda) { return lambda - richer; });
    double delay = 0;
    if (d.plays("full_load_delay")) {
        const double share = (was - kWeather_kPa) / (is - kWeather_kPa);
        delay = d.value("full_load_delay") * share;
        d.set("full_load_delay", delay);
    }
    d.reason =
        "More boost makes more heat and comes sooner than the enrichment of the original: it is made richer and "
        "waits less.";
    d.formula = "full-load lambda - 0.0006 x " + text(is - was) + " kPa = - " + text(computed, 3) +
                (delay > 0 ? "; delay x " + text(was - kWeather_kPa) + " / " + text(is - kWeather_kPa) +
                                 " kPa = " + text(delay, 2) + " s"
                           : std::string());
    d.check = "when lambda reaches its full-load target in a pull";
}

void loadLimit(Draft& d) {
    const double was = originalMost(d), is = d.plays("boost_target") ? greatest(d.table("boost_target")) : was;
    const double size = d.size();
    if (!d.plays("load_limit") || (!(is > was + 0.5) && !(size > 1.005))) return;
    const auto ve = d.table("ve_map"), old = d.original("ve_map");
    if (ve.values.empty()) return;
    double now = 0, before = 0;
    for (const double rpm : ve.x.values) {
        now = std::max(now, calibration::surfaceAt(ve, rpm, is) * is);
        before = std::max(before, calibration::surfaceAt(old, rpm, was) * was);
    }
    constexpr double kNear = 0.95;  // of the limit: farther below it the limit may stay
    if (d.reachableLoad_mg(is) < kNear * d.originalValue("load_limit")) return;
    const double limit = d.choose(d.originalValue("load_limit") * now / before * size, "mg");
    d.set("load_limit", limit);
    d.reason = "The limit keeps its distance to the greatest load: pressure times filling times swept volume.";
    d.formula = text(d.originalValue("load_limit")) + " mg x (" + text(is) + " kPa x " + text(now / is, 1) + " %) / (" +
                text(was) + " kPa x " + text(before / was, 1) + " %)" +
                (size != 1 ? " x " + text(size, 3) + " (displacement)" : std::string()) + " = " + text(limit) + " mg";
    d.check = "no fuel cut at the top of a pull";
}

constexpr Rule kRules[] = {
    {"boost_target", "Turbo", "Boost target", boostTarget, false, "pressure_sensor", "boost_target"},
    {"wastegate_duty", "Turbo", "Base wastegate duty", wastegateDuty, false, "boost_target", "wastegate_duty"},
    {"boost_control", "Turbo", "Boost control", boostControl, false, "", "boost_i"},
    {"boost_cut", "Turbo", "Boost cut", boostCut, false, "boost_target", "boost_cut"},
    {"boost_lambda", "Turbo", "Lambda in boost", boostLambda, false, "boost_target", "lambda_map"},
    {"full_load", "Turbo", "Full-load enrichment", fullLoadFuel, false, "boost_target", "full_load_lambda"},
    {"load_limit", "Turbo", "Load limit", loadLimit, false, "boost_target cam_filling", "load_limit"},
};

}  // namespace

std::span<const Rule> turboRules() {
    return kRules;
}

}  // namespace brusk::proposals
