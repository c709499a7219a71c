// loop: the whole job on the bench car in virtual time, round by round.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <iostream>

#include "core/base/Text.h"
#include "core/proposals/Consistency.h"
#include "ctl/Loop.h"

namespace brusk::ctl {
namespace {

using nlohmann::json;

constexpr double kGood = 0.02;

/// "12.3 kPa", or a dash where nothing was seen.
std::string figure(const json& value, int decimals, const char* unit) {
    return value.is_null() ? "-" : formatNumber(value.get<double>(), decimals) + unit;
}

constexpr int kMostComparisonRounds = 8;

/// One correction round: compute, flash, drive.
Done turn(Loop& loop, const proposals::CorrectionChoices& options) {
    if (auto done = loop.correct(options); !done) return done;
    if (auto done = loop.flash(); !done) return done;
    return loop.drive();
}

Done untilBase(Context& c, Loop& loop, const std::string& car) {
    const auto sheet = demoSheet(c, car);
    if (!sheet) return tl::unexpected(sheet.error());
    if (auto done = loop.begin(); !done) return done;
    // Where nobody knows the cams there is more to learn.
    if (auto done = loop.base(*sheet, {{"cam_filling", {false, 1, std::nullopt}}}); !done) return done;
    if (auto done = loop.flash(); !done) return done;
    return loop.drive();
}

/// Correction rounds after the base that a method needs until the error is good; kMost + 1 when it does not get there.
Result<int> roundsToGood(Context& c, const std::string& car, const benchcar::Build& build, uint64_t seed,
                         const std::string& route, const proposals::CorrectionChoices& options, json& errors) {
    Loop loop(c, build, seed, route);
    if (auto done = untilBase(c, loop, car); !done) return tl::unexpected(done.error());
    errors = json::array({loop.error() * 100});
    int rounds = 0;
    while (loop.error() >= kGood && rounds < kMostComparisonRounds) {
        if (auto done = turn(loop, options); !done) return tl::unexpected(done.error());
        errors.push_back(loop.error() * 100);
        ++rounds;
    }
    return loop.error() < kGood ? rounds : kMostComparisonRounds + 1;
}

Done run(Context& c, const std::string& car, int rounds, const std::string& route, uint64_t seed, bool withDonor,
         bool drawn) {
    const benchcar::Build& fitted = *benchcar::buildNamed(car + "-fitted");
    const benchcar::Build build = drawn ? benchcar::oneOf(fitted, seed) : fitted;
    Loop loop(c, build, seed, route);
    json list = json::array();
    const auto show = [&](const json& gently = {}) {
        json r = loop.report();
        if (!gently.is_null()) r["gentle"] = gently;
        list.push_back(r);
        c.outcome.text +=
            "round " + std::to_string(r["round"].get<int>()) + "  fuel off by " +
            formatNumber(r["fuel_error_rms_pct"], 2) + " %  over " + std::to_string(r["visited_cells"].get<int>()) +
            " cells  (" + r["title"].get<std::string>() + ", flash " + formatNumber(r["flash_seconds"], 1) +
            " s)\n         knock " + figure(r["knock_moments"], 0, " times") + ", retard to " +
            figure(r["knock_retard_deg"], 1, " deg") + "; boost off by " + figure(r["boost_error_kpa"], 1, " kPa") +
            "; idle spread " + figure(r["idle_spread_rpm"], 1, " rpm") + ", off by " +
            figure(r["idle_off_rpm"], 1, " rpm") + "\n";
        const auto plant = [&](const char* name, int decimals, const char* unit) {
            return figure(r["plant"].value(name, json()), decimals, unit);
        };
        c.outcome.text += "         by the plant: fuel off by " + plant("fuel_error_rms_pct", 2, " %") + ", in boost " +
                          plant("fuel_error_boost_pct", 2, " %") + "; boost off by " +
                          plant("boost_error_kpa", 1, " kPa") + ", beyond its target by " +
                          plant("overshoot_kpa", 1, " kPa") + "; spark " + plant("spark_over_limit_deg", 1, " deg") +
                          " over the knock limit\n";
        if (r.contains("first_pull"))
            c.outcome.text += "         the first pull after the flash, what was learned left: lambda off by " +
                              figure(r["first_pull"]["lambda_off_pct"], 1, " %") + ", expected " +
                              figure(r["first_pull"]["expected_pct"], 1, " %") + "\n";
        if (!r.contains("gentle")) return;
        const json& g = r["gentle"];
        c.outcome.text += "         idle and small hills: started in " + figure(g["start_s"], 1, " s") +
                          ", idle off by " + figure(g["idle_off_rpm"], 1, " rpm") + ", fuel off by " +
                          formatNumber(g["fuel_error_rms_pct"], 1) + " % over " +
                          std::to_string(g["visited_cells"].get<int>()) + " cells, retard to " +
                          figure(g["knock_retard_deg"], 1, " deg") + ", " +
                          (g["limp_mode"] == true ? "limp mode, " : "no limp mode, ") +
                          std::to_string(g["trouble_codes"].get<int>()) + " trouble codes\n";
    };
    const auto sheet = demoSheet(c, car);
    if (!sheet) return tl::unexpected(sheet.error());
    if (auto done = loop.begin(); !done) return done;
    if (auto done = loop.drive(); !done) return done;
    // Gently, in a car of its own: on the stock calibration it may not start a second time.
    Loop stock(c, build, seed, route);
    if (auto done = stock.begin(); !done) return done;
    if (auto done = stock.driveGently(); !done) return done;
    show(stock.report()["gentle"]);
    for (int n = 1; n <= rounds; ++n) {
        if (auto done = n > 1 ? loop.correct({}) : withDonor ? loop.baseWithDonor(*sheet) : loop.base(*sheet); !done)
            return done;
        if (auto done = loop.flash(); !done) return done;
        if (n == 1)
            if (auto done = loop.driveGently(); !done) return done;
        if (auto done = loop.drive(); !done) return done;
        show();
    }
    c.outcome.json = {{"seed", seed}, {"route", route}, {"rounds", list}};
    if (drawn) {
        json facts = json::object();
        for (const auto& fact : benchcar::factsOf(build.drawn))
            facts[fact.name] = {{"value", fact.value}, {"unit", fact.unit}};
        c.outcome.json["drawn"] = facts;
    }
    if (withDonor) {
        json taken = json::array();
        for (const auto& p : loop.plan().proposals)
            if (p.offered && p.accepted) taken.push_back(p.id);
        c.outcome.json["taken"] = taken;
        return {};
    }
    json fitErrors, nearestErrors;
    proposals::CorrectionChoices nearest;
    nearest.only = {"meter", "air"};
    for (const std::string& kind : nearest.only)
        nearest.settings[kind] = {{"method", 1}, {"strength", 50}};
    proposals::CorrectionChoices air;
    air.only = {"meter", "air"};
    const auto fit = roundsToGood(c, car, build, seed, route, air, fitErrors);
    if (!fit) return tl::unexpected(fit.error());
    const auto half = roundsToGood(c, car, build, seed, route, nearest, nearestErrors);
    if (!half) return tl::unexpected(half.error());
    c.outcome.json["rounds_to_2_pct"] = {{"cell_fit", *fit}, {"nearest_cell_half_strength", *half}};
    c.outcome.json["errors_pct"] = {{"cell_fit", fitErrors}, {"nearest_cell_half_strength", nearestErrors}};
    c.outcome.text +=
        "correction rounds to below 2 %: cell fit " + std::to_string(*fit) + ", nearest cell at half strength " +
        (*half > kMostComparisonRounds ? "more than " + std::to_string(kMostComparisonRounds) : std::to_string(*half)) +
        "\n";
    return {};
}

struct Figure {
    const char* key;
    const char* title;
    double noticed;  ///< a smaller difference is the drives' own scatter
};
constexpr Figure kFigures[] = {{"start_s", "start s", 0.15},
                               {"idle_off", "idle off rpm", 3},
                               {"idle_spread", "idle spread rpm", 1.5},
                               {"fuel_gentle", "fuel off %, gentle", 0.3},
                               {"fuel", "fuel off %, all", 0.3},
                               {"retard", "retard deg", 0.4},
                               {"boost", "boost off kPa", 2},
                               {"codes", "codes", 0.5},
                               {"speed_off", "road speed off %", 0.5},
                               {"meter_off", "meter off %", 1},
                               {"idle_part", "idle control %", 0.05},
                               {"deviation", "pressure off in idle kPa", 0.5},
                               {"exhaust", "exhaust in boost degC", 3},
                               {"spark", "spark over knock limit deg", 0.4},
                               {"lambda", "lambda at full pedal in boost %", 0.2},
                               {"least_air", "least fuelled air mg", 1},
                               {"contradictions", "contradictions", 0.5}};

/// Air that the shortest pulse fuels rightly: thinner charges run rich.
double leastAir_mg(const calibration::Calibration& calibration) {
    const auto value = [&](roles::Role role) {
        const auto* p = calibration.definition().parameterWithRole(role);
        return p ? calibration.value(p->name).value_or(0) : 0;
    };
    return value("injector_least_pulse") / 60e6 * value("injector_flow") * value("fuel_density") * 1000 *
           value("stoichiometric_ratio");
}

/// The figures of a base, by which a proposal that is left out shows.
Result<json> figuresOf(Context& c, const std::string& car, const proposals::BuildSheet& sheet,
                       const proposals::Decisions& decisions, uint64_t seed, const std::string& route,
                       proposals::BasePlan* plan = nullptr) {
    Loop loop(c, *benchcar::buildNamed(car + "-fitted"), seed, route);
    if (auto done = loop.begin(); !done) return tl::unexpected(done.error());
    if (auto done = loop.base(sheet, decisions); !done) return tl::unexpected(done.error());
    if (auto done = loop.flash(); !done) return tl::unexpected(done.error());
    if (auto done = loop.driveGently(); !done) return tl::unexpected(done.error());
    if (auto done = loop.drive(); !done) return tl::unexpected(done.error());
    if (plan) *plan = loop.plan();
    const auto& gentle = loop.gentle();
    const auto& all = loop.figures();
    json out = {{"start_s", orNull(gentle.figures.start_s)},
                {"idle_off", gentle.figures.idleOff_rpm ? json(std::abs(*gentle.figures.idleOff_rpm)) : json()},
                {"idle_spread", orNull(gentle.figures.idleSpread_rpm)},
                {"fuel_gentle", gentle.error.cells ? json(gentle.error.rms * 100) : json()},
                {"fuel", loop.error() * 100},
                {"retard", orNull(all.greatestRetard_deg)},
                {"boost", orNull(all.boostError_kPa)},
                {"codes", loop.codes()},
                {"speed_off", loop.truth().roadSpeedOff * 100},
                {"meter_off", loop.truth().meterOff * 100},
                {"idle_part", loop.truth().idlePart_pct},
                {"deviation", loop.truth().idleDeviation_kPa},
                {"exhaust", loop.truth().exhaust_C},
                {"spark", loop.truth().sparkOverLimit_deg},
                {"lambda", loop.truth().lambda * 100},
                {"least_air", leastAir_mg(loop.plan().result)},
                {"contradictions", proposals::contradictions(loop.plan().result, sheet).size()}};
    return out;
}

/// What is no longer reached at all is worse than any number.
bool isWorse(const json& now, const json& before, double noticed) {
    if (now.is_null() || before.is_null()) return now.is_null() && !before.is_null();
    return now.get<double>() > before.get<double>() + noticed;
}

/// A figure over several seeds: the mean, or null where one seed did not reach it.
json meanOf(const std::vector<json>& seeds, const char* key) {
    double sum = 0;
    for (const json& one : seeds) {
        if (one[key].is_null()) return {};
        sum += one[key].get<double>();
    }
    return sum / static_cast<double>(seeds.size());
}

struct Ablation {
    std::string car, route, only;  ///< `only`: the one proposal to leave out; empty: each in turn
    uint64_t seed = 1;
    int seeds = 1;  ///< from `seed` on
};

/// Each accepted proposal left out once, all else accepted: which figure gets worse, with every seed.
Done ablation(Context& c, const Ablation& a) {
    const auto sheet = demoSheet(c, a.car);
    if (!sheet) return tl::unexpected(sheet.error());
    proposals::BasePlan plan;
    const auto withAll = [&](const proposals::Decisions& decisions) -> Result<std::vector<json>> {
        std::vector<json> out;
        for (uint64_t i = 0; i < static_cast<uint64_t>(a.seeds); ++i) {
            auto figures =
                figuresOf(c, a.car, *sheet, decisions, a.seed + i, a.route, plan.proposals.empty() ? &plan : nullptr);
            if (!figures) return tl::unexpected(figures.error());
            out.push_back(std::move(*figures));
        }
        return out;
    };
    const auto whole = withAll({});
    if (!whole) return tl::unexpected(whole.error());
    if (const auto* one = plan.find(a.only); !a.only.empty() && (!one || !one->changesAnything()))
        return fail(ErrorCode::NotFound, "There is no proposal \"" + a.only + "\" to leave out.");
    json list = json::array(), all = json::object();
    c.outcome.text = "| left out | gets worse | from | to |\n| --- | --- | --- | --- |\n";
    for (const Figure& f : kFigures)
        all[f.key] = meanOf(*whole, f.key);
    for (const auto& p : plan.proposals) {
        if (!p.changesAnything() || (!a.only.empty() && p.id != a.only)) continue;
        proposals::Decisions decisions;
        decisions[p.id].accepted = false;
        const auto without = withAll(decisions);
        if (!without) return tl::unexpected(without.error());
        json worse = json::array(), figures = json::object();
        std::string titles, from, to;
        for (const Figure& f : kFigures) {
            figures[f.key] = meanOf(*without, f.key);
            bool always = true;
            for (size_t i = 0; i < whole->size(); ++i)
                always = always && isWorse((*without)[i][f.key], (*whole)[i][f.key], f.noticed);
            if (!always) continue;
            worse.push_back(f.key);
            const char* between = titles.empty() ? "" : "<br>";
            titles += std::string(between) + f.title;
            from += between + figure(all[f.key], 1, "");
            to += between + figure(figures[f.key], 1, "");
        }
        for (const std::string& column : {p.title, titles.empty() ? std::string("nothing") : titles, from, to})
            c.outcome.text.append("| ").append(column).append(" ");
        c.outcome.text += "|\n";
        list.push_back({{"id", p.id}, {"figures", figures}, {"worse", worse}});
    }
    c.outcome.json = {{"seed", a.seed}, {"seeds", a.seeds}, {"route", a.route}, {"base", all}, {"left_out", list}};
    return {};
}

std::vector<std::string> routeNames() {
    std::vector<std::string> out;
    for (const auto& route : benchcar::routes())
        out.push_back(route.name);
    return out;
}

}  // namespace

void addLoopCommand(Command app, Context& c) {
    struct Options {
        int rounds = 3;
        std::string route = "survey";
        uint64_t seed = 1;
        bool leaveOneOut = false, donor = false, drawn = false;
        int seeds = 1;
        std::string car = "heron", only;
    };
    auto o = std::make_shared<Options>();
    auto sub = app.command("loop", "the whole job on the bench car: read, base, then drive, correct and flash");
    sub.option("--rounds", o->rounds, "rounds after the original; the first is the base").range(1, 20);
    sub.option("--route", o->route).oneOf(routeNames());
    sub.option("--seed", o->seed);
    sub.flag("--drawn", o->drawn, "the car differs from the book as the seed draws it; not with --leave-one-out");
    sub.option("--car", o->car, "the demo car with its owner's parts; the donor is the Heron's")
        .oneOf({"heron", "crane"});
    sub.flag("--leave-one-out", o->leaveOneOut, "the base without each of its proposals in turn, as a table");
    sub.option("--seeds", o->seeds, "for --leave-one-out: as many seeds; what is worse is so with all of them")
        .range(1, 20);
    sub.option("--only", o->only, "for --leave-one-out: this proposal alone");
    sub.flag("--donor", o->donor, "the base with what the demo's donor is suggested for");
    sub.run([o, &c] {
        if (o->donor && o->car != "heron") throw WrongUse{"--donor: the demo's donor is the Heron's."};
        const auto done = o->leaveOneOut ? ablation(c, {o->car, o->route, o->only, o->seed, o->seeds})
                                         : run(c, o->car, o->rounds, o->route, o->seed, o->donor, o->drawn);
        if (!done) c.outcome.fail(done.error());
    });
}

}  // namespace brusk::ctl
