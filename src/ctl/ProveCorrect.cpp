// A case a kind: what is made wrong, what is driven for evidence, and which figure of the plant's tells how far off it
// is.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "ctl/ProveCorrect.h"

#include <cmath>
#include <map>
#include <mutex>

#include "core/base/Text.h"
#include "ctl/CorrectTruth.h"
#include "ctl/OnAll.h"
#include "ctl/ProveTogether.h"

namespace brusk::ctl {
namespace {

using benchcar::BenchCar;
using calibration::Calibration;
using truth::Car;
using truth::Leg;
using truth::Told;

/// One kind to prove.
struct Case {
    std::string_view kind, wrong, what, unit;
    double target;
    std::vector<std::string> models;
    std::vector<std::string> only;    ///< kinds that may correct
    std::vector<Leg> evidence, held;  ///< driven to learn from, and to judge by
    const truth::Cells* cells;        ///< whose RMS is the figure; null: a number is
    /// The number, signed as the kind's own estimate of it.
    double (*number)(const Car& car, const Calibration& inCar, const Told& held) = nullptr;
    std::string_view estimate = {};          ///< of the kind's estimates, the one that tells the number
    std::vector<std::string> averaged = {};  ///< kinds that put every cell to the mean instead; empty: none could
};

double deadTime(const Car& car, const Calibration& inCar, const Told&) {
    return truth::deadTime(car, inCar);
}
double flow(const Car& car, const Calibration& inCar, const Told&) {
    return truth::flow(car, inCar);
}
double banks(const Car&, const Calibration& inCar, const Told& held) {
    return truth::banksApart(inCar, held);
}
double fullLoad(const Car&, const Calibration& inCar, const Told& held) {
    return truth::fullLoadOff(inCar, held);
}

constexpr double kBySea_kPa = 100;
const std::vector<Leg> kAround = {{{"survey", "town"}}};
const std::vector<Leg> kElsewhere = {{{"hills", "motorway"}}};

const std::vector<Case>& cases() {
    using Weather = benchcar::Weather;
    static const std::vector<Leg> pulls = {{{"pulls-3", "pulls-4"}}};
    static const std::vector<Leg> weathers = {{{"survey"}, Weather{2, 101}}, {{"survey"}, Weather{32, 101}}};
    static const std::vector<Leg> otherWeathers = {{{"hills"}, Weather{-10, 101}}, {{"hills"}, Weather{38, 101}}};
    static const std::vector<Leg> heights = {{{"survey"}, Weather{18, 101}}, {{"survey"}, Weather{18, 84}}};
    static const std::vector<Leg> otherHeights = {{{"hills"}, Weather{18, 102}}, {{"hills"}, Weather{18, 80}}};
    static const std::vector<Leg> around = {{{"survey", "town", "motorway"}}};
    static const std::vector<Case> all = {
        {"injector",
         "injector",
         "dead time off at 13 to 14.5 V",
         "us",
         20,
         {"heron", "crane"},
         {"injector"},
         around,
         kElsewhere,
         nullptr,
         deadTime,
         "dead time"},
        {"injector",
         "injector-flow",
         "flow off, litres told",
         "%",
         0.7,
         {"heron", "crane"},
         {"injector"},
         around,
         kElsewhere,
         nullptr,
         flow,
         "flow"},
        {"meter",
         "meter",
         "mixture by the meter off, over its readings",
         "%",
         0.7,
         {"heron", "crane"},
         {"meter"},
         kAround,
         kElsewhere,
         &truth::kMetered,
         nullptr,
         {},
         {"meter"}},
        {"air",
         "air",
         "mixture by speed-density off, over its cells",
         "%",
         0.7,
         {"heron", "crane"},
         {"air"},
         kAround,
         kElsewhere,
         &truth::kDensity,
         nullptr,
         {},
         {"air"}},
        {"charge-temperature",
         "charge-temperature",
         "mixture by speed-density off at -10 and 38 \u00b0C",
         "%",
         1,
         {"heron", "crane"},
         {"charge-temperature", "air"},
         weathers,
         otherWeathers,
         &truth::kDensity,
         nullptr,
         {},
         {"air"}},
        {"altitude",
         "altitude",
         "mixture by speed-density off at 80 and 102 kPa",
         "%",
         1,
         {"heron", "crane"},
         {"altitude", "air"},
         heights,
         otherHeights,
         &truth::kDensity,
         nullptr,
         {},
         {"air"}},
        {"changeover",
         "changeover",
         "mixture in use off",
         "%",
         1,
         {"heron", "crane"},
         {"meter", "air", "changeover"},
         kAround,
         kElsewhere,
         &truth::kUsed,
         nullptr,
         {},
         {"meter", "air"}},
        {"bank-trim",
         "bank-trim",
         "fuel of the banks apart",
         "%",
         0.5,
         {"crane"},
         {"bank-trim"},
         kAround,
         kElsewhere,
         nullptr,
         banks,
         "banks apart"},
        {"full-load",
         "full-load",
         "lambda over its target 0.5 s after full load",
         "%",
         1.5,
         {"heron", "crane"},
         {"full-load"},
         pulls,
         pulls,
         nullptr,
         fullLoad},
    };
    return all;
}

proposals::CorrectionChoices choicesOf(const Case& one, const Car& car, const Calibration& inCar, int round,
                                       bool nearest) {
    proposals::CorrectionChoices out;
    out.only = nearest ? one.averaged : one.only;
    if (one.wrong == "injector-flow") out.facts.poured = truth::poured(car, inCar, round);
    if (nearest)
        for (const std::string& kind : one.averaged)
            out.settings[kind] = {{"method", 1}};
    return out;
}

double figureOf(const Case& one, const Car& car, const Calibration& inCar, const Told& told, const Told& held) {
    return one.cells ? truth::fuelOff(car, inCar, told, held, *one.cells) : std::abs(one.number(car, inCar, held));
}

/// What it says of itself against the plant, over its doubt: a number, or every cell of which it says enough.
std::vector<double> misses(const Case& one, const Car& car, const Calibration& inCar, const Told& held,
                           const proposals::Correction& mine) {
    std::vector<double> out;
    for (const proposals::Estimate& estimate : mine.estimates)
        if (estimate.what == one.estimate)
            out.push_back((estimate.off - one.number(car, inCar, held)) / estimate.doubt);
    // Of a kind that stands on others the tables are told with the others' bytes.
    if (!one.cells || one.only.size() > 1 || mine.tables.empty()) return out;
    const evidence::CellFit& fit = mine.tables[0].fit;
    // Hardly smoothed: what smoothing gets wrong is part of the error.
    evidence::CellFitOptions rough;
    rough.curvature = 0.05;
    const auto truth =
        evidence::fitCells(truth::trueSamples(car, inCar, held, *one.cells, *truth::drivesOf(held, inCar)), rough);
    const evidence::Enough enough;
    for (size_t i = 0; i < fit.factor.size(); ++i)
        if (enough(fit, i) && enough(truth, i))
            out.push_back(std::log(fit.factor[i] / truth.factor[i]) / std::hypot(fit.doubt[i], truth.doubt[i]));
    return out;
}

/// What the next drive is held against.
struct Promised {
    double left = 0, doubt = 0;
    std::vector<proposals::CellEstimate> cells;
    std::vector<double> made;  ///< ln of new over old by cell
};

Promised promiseOf(const proposals::Correction& mine) {
    const bool worth = mine.standing == proposals::Standing::Worth;
    Promised out{worth ? mine.promise->expected : mine.promise->now, mine.promise->leftDoubt, mine.promise->cells, {}};
    if (mine.tables.empty()) return out;
    out.made.reserve(mine.tables[0].change.size());
    for (const double change : mine.tables[0].change)
        out.made.push_back(worth ? std::log1p(change) : 0);
    return out;
}

void keep(CorrectRun& run, const Promised& promised, const proposals::Promise& now,
          const proposals::Promise& elsewhere) {
    run.promised.push_back(promised.left), run.came.push_back(now.now);
    const auto cells = proposals::heldAgainst(promised.cells, promised.made, elsewhere.cells);
    // One of them tells what all differ by alike.
    const double alike =
        std::sqrt(static_cast<double>(cells.size()) / std::max(1.0, static_cast<double>(cells.size()) - 1));
    if (!promised.cells.empty())
        for (const proposals::CellKept& one : cells)
            run.kept.push_back(one.z * alike);
    else if (const double doubt = std::hypot(promised.doubt, now.leftDoubt); doubt > 0)
        run.kept.push_back((now.now - promised.left) / doubt);
}

/// Corrects and flashes round after round; the figure at the start and after each.
CorrectRun run(const Case& one, const Car& car, double amount, int rounds, bool nearest) {
    CorrectRun out;
    out.car = car.name();
    out.amount = amount;
    BenchCar bench(car.build, car.seed);
    if (amount != 0) {
        benchcar::makeWrong(bench.memory(), *benchcar::wrongPartNamed(one.wrong), amount);
        bench.powerCycle();
    } else if (one.wrong == "changeover") {
        benchcar::rework(bench.memory(), *benchcar::parameterNamed("air_model"), [](double) { return 2; });
        benchcar::sealFlash(bench.memory());
        bench.powerCycle();
    }
    std::optional<Calibration> before;
    Told learned, judged;
    std::optional<Promised> promised;
    for (int round = 0;; ++round) {
        const bool last = round == rounds;
        const Calibration inCar = bench::calibrationOf(*car.kit, bench);
        const Told told = truth::drive(car, bench, one.evidence), held = truth::drive(car, bench, one.held);
        out.figure.push_back(figureOf(one, car, inCar, told, held));
        out.leanest += round > 0 ? truth::leanSeconds(told, inCar) + truth::leanSeconds(held, inCar) : 0;
        if (out.rounds < 0 && out.figure.back() <= one.target) out.rounds = round;
        if (round == 1 && amount == 0) {
            if (one.cells)
                out.harm = truth::harmOf(car, *before, learned, judged, inCar, held, *one.cells);
            else
                out.harm = {out.figure[0], out.figure[1], 0};
        }
        const auto made = truth::corrected(inCar, told, choicesOf(one, car, inCar, round, nearest));
        if (!made) {
            out.said.push_back(made.error().text());
            break;
        }
        const auto* mine = made->of(one.kind);
        out.said.push_back(mine ? mine->line : std::string("not this car"));
        if (mine && round == 0) out.misses = misses(one, car, inCar, held, *mine);
        if (mine && mine->promise) {
            // Cells are told again by other roads; a figure speaks of the roads that it was told by.
            const auto again = !promised || promised->cells.empty()
                                   ? made
                                   : truth::corrected(inCar, held, choicesOf(one, car, inCar, round, nearest));
            if (promised && again && again->of(one.kind)->promise)
                keep(out, *promised, *mine->promise, *again->of(one.kind)->promise);
            promised = promiseOf(*mine);
        }
        before = inCar, learned = told, judged = held;
        if (last) break;
        const auto after = truth::with(inCar, made->edits());
        if (!after) {
            out.said.push_back(after.error().text());
            break;
        }
        truth::flash(bench, *after);
    }
    return out;
}

/// The cars of which a kind is proved; where no other weather is asked for the air is that of the sea: what altitude
/// does is a kind of its own.
std::vector<Car> carsOf(const CorrectOrders& orders, const std::vector<std::string>& models,
                        const std::map<std::string, std::shared_ptr<const job::Kit>>& kits) {
    std::vector<Car> out;
    for (const std::string& model : models)
        for (int seed = 1; seed <= orders.seeds && (orders.model.empty() || orders.model == model); ++seed) {
            auto build = bench::drawnBuild(model.c_str(), static_cast<uint64_t>(seed));
            build.drawn.weather->pressure_kPa = kBySea_kPa;
            out.push_back({model, static_cast<uint64_t>(seed), kits.at(model), build});
        }
    return out;
}

std::string lineOf(const Case& one, const CorrectRun& mine, const CorrectRun& right) {
    std::string out = std::string(one.wrong) + " " + mine.car + " (" + formatNumber(mine.amount, 1) + "):";
    for (size_t k = 0; k < mine.figure.size(); ++k)
        out.append(" ").append(formatNumber(mine.figure[k], 2)).append(" [").append(mine.said[k]).append("]");
    return out + "; right: " + formatNumber(right.figure[0], 2) + " -> " + formatNumber(right.figure.back(), 2) + " [" +
           right.said[0] + "]";
}

}  // namespace

Result<CorrectProof> proveCorrect(const std::string& dataFolder, const CorrectOrders& orders,
                                  const std::function<void(const std::string&)>& progress) {
    storage::RealFileSystem files;
    std::map<std::string, std::shared_ptr<const job::Kit>> kits;
    for (const auto& [model, profile] : {std::pair("heron", "/heron/aldine-e2.profile.json"),
                                         std::pair("crane", "/crane/aldine-e2-v6.profile.json")}) {
        auto kit = job::loadKit(files, dataFolder + profile);
        if (!kit) return tl::unexpected(kit.error());
        kits[model] = *kit;
    }
    const auto asked = [&](std::string_view kind, std::string_view wrong) {
        return orders.kinds.empty() || std::any_of(orders.kinds.begin(), orders.kinds.end(),
                                                   [&](const auto& named) { return named == kind || named == wrong; });
    };
    CorrectProof out;
    std::mutex mutex;
    std::vector<std::function<void()>> jobs;
    for (const Case& one : cases()) {
        if (!asked(one.kind, one.wrong)) continue;
        CorrectCase about;
        about.kind = one.kind, about.title = benchcar::wrongPartNamed(one.wrong)->title, about.unit = one.unit;
        about.target = one.target, about.what = one.what, about.cells = one.cells != nullptr;
        out.cases.push_back(std::move(about));
        for (const Car& car : carsOf(orders, one.models, kits))
            jobs.emplace_back([&, car, at = out.cases.size() - 1, one = &one] {
                const double amount = benchcar::drawnAmount(*benchcar::wrongPartNamed(one->wrong), car.seed);
                CorrectRun mine = run(*one, car, amount, orders.rounds, false);
                if (!one->averaged.empty()) mine.nearest = run(*one, car, amount, orders.rounds, true).figure;
                const CorrectRun right = run(*one, car, 0, 1, false);
                // What the right calibration does on the same roads is the car's, not the correction's.
                mine.leanest = std::max(0.0, mine.leanest - right.leanest * orders.rounds);
                mine.harm = right.harm;
                const std::lock_guard lock(mutex);
                progress(lineOf(*one, mine, right));
                out.cases[at].runs.push_back(std::move(mine));
            });
    }
    std::optional<Error> problem;
    // A story of every car, beside the kinds.
    const auto tell = [&](auto prove, auto* into) {
        for (const Car& car : carsOf(orders, {"heron", "crane"}, kits))
            jobs.emplace_back([&, car, prove, into] {
                auto mine = prove(car);
                const std::lock_guard lock(mutex);
                if (!mine) {
                    problem = mine.error();
                    return;
                }
                progress(mine->text());
                into->push_back(std::move(*mine));
            });
    };
    if (asked("adaptations", "first-pull")) tell(proveFirstPull, &out.firstPulls);
    if (asked("harm", "harm")) tell(proveHarm, &out.harms);
    if (asked("together", "together")) tell(proveTogether, &out.together);
    onAll(jobs.size(), [&](size_t i) { jobs[i](); });
    if (problem) return tl::unexpected(*problem);
    return out;
}

}  // namespace brusk::ctl
