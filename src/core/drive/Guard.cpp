// The guards that ship, each in the ways it can be asked, the best first; and the walk through time.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/drive/Guard.h"

#include <algorithm>
#include <array>

#include "core/base/Text.h"

namespace brusk::drive {
namespace {

constexpr double kCalm_s = 0.5;
constexpr double kBoostMargin_kPa = 15;
constexpr double kOverThermostat_K = 22;
constexpr double kUsualThermostat_C = 88;
constexpr double kCools_K = 5;
constexpr size_t kMostRoles = 5;

/// One way to ask: roles that have to be played, and the expressions. "{0}" is the kind's number.
struct Way {
    std::array<const char*, kMostRoles> roles;
    const char* condition;
    const char* calm = "";
};
struct Kind {
    GuardKind said;
    const char* sentence;
    double hold_s;
    /// The number that is built in; nothing where this way needs one that nobody told.
    std::optional<double> (*number)(const GuardLimits& limits);
    std::vector<Way> ways;
};

std::optional<double> none(const GuardLimits&) {
    return 0;
}
/// Boost over the weather.
std::optional<double> boostLimit(const GuardLimits& limits) {
    return limits.boost_kPa ? std::optional(*limits.boost_kPa + kBoostMargin_kPa) : std::nullopt;
}
std::optional<double> coolantLimit(const GuardLimits& limits) {
    return limits.thermostat_C.value_or(kUsualThermostat_C) + kOverThermostat_K;
}

const std::vector<Kind>& kinds() {
    static const std::vector<Kind> all = {
        {{"lean-under-load", "Lean under load"},
         "lean under load: lift",
         0.3,
         none,
         {{{"lambda_measured", "lambda_asked", "manifold_pressure", "barometric_pressure", "fuel_cut"},
           "<lambda_measured> > 1.08 * <lambda_asked> and <lambda_measured> > 0.9 lambda and "
           "<manifold_pressure> > 0.92 * <barometric_pressure> and <fuel_cut> == 0"},
          {{"lambda_measured", "lambda_asked", "manifold_pressure"},
           "<lambda_measured> > 1.08 * <lambda_asked> and <lambda_measured> > 0.9 lambda and "
           "<manifold_pressure> > 95 kPa"},
          {{"lambda_measured", "manifold_pressure"},
           "<lambda_measured> > 0.97 lambda and <manifold_pressure> > 105 kPa"},
          {{"lambda_measured", "pedal"}, "<lambda_measured> > 0.97 lambda and <pedal> > 85 %"}}},
        {{"knock-retard", "Knock"},
         "knock: lift",
         0.05,
         none,
         {{{"knock_retard"}, "<knock_retard> > 4 \u00b0", "<knock_retard> < 2 \u00b0"}}},
        {{"boost-above", "Boost above what is wanted"},
         "boost above what is wanted: lift",
         0.3,
         boostLimit,
         {{{"manifold_pressure", "barometric_pressure"},
           "<manifold_pressure> - <barometric_pressure> > {0} kPa",
           "<manifold_pressure> - <barometric_pressure> < {0} kPa - 10 kPa"}}},
        {{"boost-off-target", "Boost above its target"},
         "boost above its target: lift",
         0.5,
         none,
         {{{"manifold_pressure", "boost_target_now", "barometric_pressure"},
           "<boost_target_now> > <barometric_pressure> + 5 kPa and "
           "<manifold_pressure> > most(<boost_target_now>, 1.5 s) + 25 kPa",
           "<manifold_pressure> < <boost_target_now> + 10 kPa"}}},
        {{"coolant-hot", "Coolant too hot"},
         "coolant too hot: stop and let it cool",
         1,
         coolantLimit,
         {{{"coolant"}, "<coolant> > {0} \u00b0C", "<coolant> < {1} \u00b0C"}}},
        {{"injector-duty", "Injectors at their limit"},
         "injectors at their limit: lift",
         0.2,
         none,
         // A controller that has a limit of its own, 90 to 95 % as a rule, never says more than that.
         {{{"injector_duty"}, "<injector_duty> > 88 %", "<injector_duty> < 82 %"}}},
        {{"battery-low", "Battery low"},
         "the battery is not charged: drive home",
         5,
         none,
         {{{"battery", "engine_speed"}, "<battery> < 12.3 V and <engine_speed> > 700 rpm", "<battery> > 12.6 V"}}},
        {{"fuel-pressure", "Fuel pressure falls"},
         "fuel pressure falls: lift",
         0.3,
         none,
         {{{"fuel_pressure", "pedal"}, "<fuel_pressure> < 0.85 * most(<fuel_pressure>, 10 s) and <pedal> > 60 %"}}},
    };
    return all;
}

std::vector<roles::Role> missing(const Way& way, const recording::Vocabulary& vocabulary) {
    std::vector<roles::Role> out;
    for (const char* id : way.roles) {
        if (!id) break;
        const bool played = std::any_of(vocabulary.names.begin(), vocabulary.names.end(),
                                        [&](const auto& name) { return name.role == id; });
        if (!played) out.push_back(roles::Role::named(id).value());
    }
    return out;
}

std::string filled(std::string text, double number) {
    for (const auto& [place, value] : {std::pair{"{0}", number}, {"{1}", number - kCools_K}})
        for (size_t at; (at = text.find(place)) != std::string::npos;)
            text.replace(at, 3, formatNumber(value, 1));
    return text;
}

}  // namespace

std::span<const GuardKind> guardKinds() {
    static const std::vector<GuardKind> all = [] {
        std::vector<GuardKind> out;
        for (const Kind& kind : kinds())
            out.push_back(kind.said);
        return out;
    }();
    return all;
}

ShippedGuards shippedGuards(const recording::Vocabulary& vocabulary, const GuardLimits& limits) {
    ShippedGuards out;
    for (const Kind& kind : kinds()) {
        const auto number = kind.number(limits);
        if (!number) continue;
        std::optional<std::vector<roles::Role>> least;
        for (const Way& way : kind.ways) {
            auto lacks = missing(way, vocabulary);
            if (!least || lacks.size() < least->size()) least = lacks;
            if (!lacks.empty()) continue;
            out.guards.push_back({std::string(kind.said.id), std::string(kind.said.title),
                                  filled(way.condition, *number), filled(way.calm, *number), kind.hold_s, kind.sentence,
                                  true});
            break;
        }
        if (least && !least->empty()) out.lacks.push_back({kind.said, std::move(*least)});
    }
    return out;
}

Result<GuardWatch> GuardWatch::compile(const std::vector<Guard>& guards, const LiveLayout& layout) {
    GuardWatch out;
    out.gap_s_ = layout.gap_s();
    const auto wrong = [](const Guard& guard, const Error& error) {
        return failBecause("The guard \"" + guard.title + "\" can't be asked here.", error);
    };
    for (const Guard& guard : guards) {
        auto condition = LiveCondition::compile(guard.condition, layout);
        if (!condition) return wrong(guard, condition.error());
        std::optional<LiveCondition> calm;
        if (!guard.calm.empty()) {
            auto over = LiveCondition::compile(guard.calm, layout);
            if (!over) return wrong(guard, over.error());
            calm.emplace(std::move(*over));
        }
        out.watched_.push_back({guard, std::move(*condition), std::move(calm), {}, {}, false});
    }
    return out;
}

void GuardWatch::step(double time_s, const LiveLayout& layout, const std::function<void(const Guard&)>& onTrip) {
    const bool gap = time_s - last_s_ > gap_s_;
    last_s_ = time_s;
    const auto lasting = [&](std::optional<double>& since_s, bool holds, double length_s) {
        if (gap || !holds) since_s.reset();
        if (holds && !since_s) since_s = time_s;
        return since_s && time_s - *since_s >= length_s;
    };
    for (Watched& watched : watched_) {
        const bool holds = watched.condition.step(time_s, layout);
        const bool over = watched.calm ? watched.calm->step(time_s, layout) : !holds;
        if (lasting(watched.calmSince_s, over, kCalm_s)) watched.tripped = false;
        if (!lasting(watched.since_s, holds, watched.guard.hold_s) || watched.tripped) continue;
        watched.tripped = true;
        onTrip(watched.guard);
    }
}

}  // namespace brusk::drive
