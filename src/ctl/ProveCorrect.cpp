// A case a kind: what is made wrong, what is driven for evidence, and which figure of the plant's tells how far off it
// is.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "ctl/ProveCorrect.h"

#include <cmath>
#include <mutex>

#include "benchcar/plant/Noise.h"
#include "core/base/Text.h"
#include "core/calibration/RoleUnits.h"
#include "core/evidence/Learned.h"
#include "core/evidence/Median.h"
#include "core/job/LookForFaults.h"
#include "ctl/DrivenCar.h"
#include "ctl/OnAll.h"

namespace brusk::ctl {
namespace {

using benchcar::BenchCar;
using calibration::Calibration;
using evidence::Drives;

/// Some routes in one weather.
struct Leg {
    std::vector<std::string> routes;
    std::optional<benchcar::Weather> weather = {};
};

struct Car {
    std::string model;
    uint64_t seed;
    std::shared_ptr<const job::Kit> kit;
    benchcar::Build build;
};

/// What was driven, with the truth beside it.
struct Told {
    Drives::Recordings recordings;
    std::vector<std::shared_ptr<const recording::Recording>> truths;
};

/// One kind to prove.
struct Case {
    std::string_view kind, wrong, what, unit;
    double target;
    std::vector<std::string> models;
    std::vector<std::string> only;    ///< kinds that may correct
    std::vector<Leg> evidence, held;  ///< driven to learn from, and to judge by
    double (*figure)(const Car& car, BenchCar& bench, const Calibration& inCar, const Told& told, const Told& held);
};

std::span<const float> truthOf(const recording::Recording& truth, std::string_view name) {
    for (const auto& channel : truth.groups[0].channels)
        if (channel.name == name) return channel.values.values();
    return {};
}

std::unique_ptr<Drives> drivesOf(const Told& told, const Calibration& inCar) {
    return std::make_unique<Drives>(told.recordings, job::evidenceOptions(inCar));
}

Told drive(const Car& car, BenchCar& bench, const std::vector<Leg>& legs) {
    Told out;
    for (const Leg& leg : legs) {
        if (leg.weather) {
            // Another day: the engine runs down, and while it stands the controller reads the weather's pressure.
            constexpr int64_t kStands_us = 30000000;
            bench.stopRoute();
            bench.plant().setWeather(*leg.weather);
            if (bench.now_us() > 0) bench.advanceTo(bench.now_us() + kStands_us);
        }
        auto driven = bench::drive(bench, {car.kit}, leg.routes);
        out.recordings.push_back(driven.recordings[0]), out.truths.push_back(driven.truth);
    }
    return out;
}

/// RMS over the cells of a table of how far the true mixture lies from what was asked, as this car's wideband would
/// tell it without noise, with what the loop did taken out. Per cent.
double fuelOff(const Car& car, const Calibration& inCar, const Told& told, const Told& held, roles::Role table,
               const evidence::Measure& measure) {
    const auto drives = drivesOf(held, inCar);
    const auto read = inCar.read(*inCar.definition().parameterWithRole(table));
    evidence::MapSamples samples(inCar.definition(), *read, *drives, measure);
    std::vector<evidence::EngineColumns> columns;
    for (size_t d = 0; d < drives->size(); ++d)
        columns.push_back(*evidence::engineColumns((*drives)[d]));
    for (size_t k = 0; k < samples.size(); ++k) {
        const auto& c = columns[samples.drive[k]];
        const auto lambda = truthOf(*held.truths[samples.drive[k]], "true_lambda");
        const size_t i = samples.row[k];
        const double seen =
            static_cast<double>(lambda[i]) * (1 + car.build.drawn.widebandGain) + car.build.drawn.widebandOffset;
        const double air = measure.what == evidence::Measure::What::Density
                               ? static_cast<double>(c.air_mg[i]) / static_cast<double>(c.airByDensity_mg[i])
                           : measure.what == evidence::Measure::What::Metered
                               ? static_cast<double>(c.air_mg[i]) / static_cast<double>(c.airByMeter_mg[i])
                               : 1;
        samples.value[k] = static_cast<float>(seen * c.share(i) * air);
    }
    // Cells that were learned of: of others nothing was claimed.
    constexpr uint32_t kEnough = 50;
    auto cells = samples.cells();
    const auto learned =
        evidence::MapSamples(inCar.definition(), *read, *drivesOf(told, inCar), evidence::Measure::mixture()).visits();
    constexpr uint32_t kVisits = 3;
    for (size_t i = 0; i < cells.size(); ++i)
        if (learned[i] < kVisits) cells[i].count = 0;
    return evidence::fuelError(cells, kEnough).rms * 100;
}

double airOff(const Car& car, BenchCar&, const Calibration& inCar, const Told& told, const Told& held) {
    return fuelOff(car, inCar, told, held, "ve_map", evidence::Measure::density());
}
double meterOff(const Car& car, BenchCar&, const Calibration& inCar, const Told& told, const Told& held) {
    return fuelOff(car, inCar, told, held, "meter_curve", evidence::Measure::metered());
}
double usedOff(const Car& car, BenchCar&, const Calibration& inCar, const Told& told, const Told& held) {
    return fuelOff(car, inCar, told, held, "ve_map", evidence::Measure::mixture());
}

/// Mean over 13 to 14.5 V, us.
double deadTimeOff(const Car& car, BenchCar&, const Calibration& inCar, const Told&, const Told&) {
    const auto pulses = evidence::pulseModel(inCar);
    benchcar::Injectors injectors = car.build.parts.injectors;
    double sum = 0;
    int n = 0;
    for (double volts = 13; volts <= 14.5; volts += 0.25, ++n)
        sum += pulses->dead(volts) - (injectors.deadAt14_us + car.build.drawn.deadTime_us +
                                      (14 - volts) * injectors.deadSlope_us * (1 + car.build.drawn.deadSlope));
    return std::abs(sum / n);
}

/// Of the flow, per cent.
double flowOff(const Car& car, BenchCar&, const Calibration& inCar, const Told&, const Told&) {
    const auto flow = calibration::readRole(inCar, "injector_flow");
    const double is = car.build.parts.injectors.flow_cm3min * (1 + car.build.drawn.injectorFlow);
    return std::abs(flow->values[0] / is - 1) * 100;
}

/// What the two banks' fuel is apart by, loops taken out; per cent.
double banksApart(const Car&, BenchCar&, const Calibration& inCar, const Told&, const Told& held) {
    const auto drives = drivesOf(held, inCar);
    double sum = 0, n = 0;
    for (size_t d = 0; d < drives->size(); ++d) {
        const auto one = truthOf(*held.truths[d], "true_lambda"), other = truthOf(*held.truths[d], "true_lambda_2");
        const auto column = [&](roles::Role role) { return (*drives)[d].columnIfAny(role); };
        const auto s1 = column("short_trim"), l1 = column("long_trim"), s2 = column("short_trim_2"),
                   l2 = column("long_trim_2");
        for (const uint32_t i : (*drives).mixture()->drives[d].row) {
            const auto trim = [&](evidence::Column s, evidence::Column l) {
                return (1 + static_cast<double>(s[i]) / 100) * (1 + static_cast<double>(l[i]) / 100);
            };
            sum +=
                std::log(static_cast<double>(other[i]) * trim(s2, l2) / (static_cast<double>(one[i]) * trim(s1, l1))),
                ++n;
        }
    }
    return std::abs(sum / n) * 100;
}

/// True lambda against the full-load target half a second after the pedal, in the lean direction: mean of pulls, per
/// cent.
double fullLoadOff(const Car&, BenchCar&, const Calibration& inCar, const Told&, const Told& held) {
    constexpr double kAfter_s = 0.5;
    const auto drives = drivesOf(held, inCar);
    const auto target = calibration::readRole(inCar, "full_load_lambda");
    const auto borders = [&](roles::Role role) { return calibration::readRole(inCar, role)->values[0]; };
    const double pedal = borders("full_load_pedal"), pressure = borders("full_load_pressure"),
                 speed = borders("full_load_speed");
    const evidence::AxisLookup axis(target->x.values);
    double sum = 0, n = 0;
    for (size_t d = 0; d < drives->size(); ++d) {
        const auto lambda = truthOf(*held.truths[d], "true_lambda");
        const auto time = (*drives)[d].time_s();
        const auto p = (*drives)[d].columnIfAny("pedal"), m = (*drives)[d].columnIfAny("manifold_pressure"),
                   s = (*drives)[d].columnIfAny("engine_speed");
        double since_s = -1;
        for (size_t i = 0; i < time.size(); ++i) {
            const bool met = static_cast<double>(p[i]) > pedal && static_cast<double>(m[i]) > pressure &&
                             static_cast<double>(s[i]) > speed;
            if (!met) since_s = -1;
            if (met && since_s < 0) since_s = time[i];
            if (!met || time[i] - since_s < kAfter_s || time[i] - since_s > kAfter_s + 0.015) continue;
            const double wanted = evidence::bilinear(target->values, target->values.size(), 1,
                                                     axis.locate(static_cast<double>(s[i])), {});
            sum += std::max(0.0, static_cast<double>(lambda[i]) / wanted - 1), ++n;
            since_s = time[i] - 100;
        }
    }
    return n > 0 ? sum / n * 100 : std::nan("");
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
         deadTimeOff},
        {"injector",
         "injector-flow",
         "flow off, litres told",
         "%",
         0.7,
         {"heron", "crane"},
         {"injector"},
         around,
         kElsewhere,
         flowOff},
        {"meter",
         "meter",
         "mixture by the meter off, over its readings",
         "%",
         0.7,
         {"heron", "crane"},
         {"meter"},
         kAround,
         kElsewhere,
         meterOff},
        {"air",
         "air",
         "mixture by speed-density off, over its cells",
         "%",
         0.7,
         {"heron", "crane"},
         {"air"},
         kAround,
         kElsewhere,
         airOff},
        {"charge-temperature",
         "charge-temperature",
         "mixture by speed-density off at -10 and 38 \u00b0C",
         "%",
         1,
         {"heron", "crane"},
         {"charge-temperature", "air"},
         weathers,
         otherWeathers,
         airOff},
        {"altitude",
         "altitude",
         "mixture by speed-density off at 80 and 102 kPa",
         "%",
         1,
         {"heron", "crane"},
         {"altitude", "air"},
         heights,
         otherHeights,
         airOff},
        {"changeover",
         "changeover",
         "mixture in use off",
         "%",
         1,
         {"heron", "crane"},
         {"meter", "air", "changeover"},
         kAround,
         kElsewhere,
         usedOff},
        {"bank-trim",
         "bank-trim",
         "fuel of the banks apart",
         "%",
         0.5,
         {"crane"},
         {"bank-trim"},
         kAround,
         kElsewhere,
         banksApart},
        {"full-load",
         "full-load",
         "lambda over its target 0.5 s after full load",
         "%",
         1.5,
         {"heron", "crane"},
         {"full-load"},
         pulls,
         pulls,
         fullLoadOff},
    };
    return all;
}

void flash(BenchCar& bench, const Calibration& calibration) {
    namespace map = benchcar::map;
    const auto bytes = calibration.image().bytes(map::kFlash, map::kFlashSize);
    std::copy(bytes->begin(), bytes->end(), bench.memory().flash().begin());
    benchcar::sealFlash(bench.memory());
    bench.powerCycle();
    // As the flash offers: what was learned on the old bytes is obsolete.
    bench.controller().clearCodes();
}

/// Seconds that 13-forbids: leaner than 1.03 of asked, or than 0.92 beyond 130 kPa, in stretches of over 0.3 s.
double leanSeconds(const Told& told, const Calibration& inCar) {
    constexpr double kOver = 1.03, kLean = 0.92, kBoost_kPa = 130, kLongest_s = 0.3;
    const auto drives = drivesOf(told, inCar);
    double out = 0;
    for (size_t d = 0; d < drives->size(); ++d) {
        const auto c = evidence::engineColumns((*drives)[d]);
        if (!c) continue;
        const auto lambda = truthOf(*told.truths[d], "true_lambda"),
                   pressure = truthOf(*told.truths[d], "true_manifold_pressure");
        double since_s = -1;
        for (size_t i = 1; i < c->time_s.size(); ++i) {
            const bool burns = c->fuelCut[i] == 0 && c->speed_rpm[i] > 500 && c->coolant_C[i] > 60;
            const double v = static_cast<double>(lambda[i]);
            const bool loaded = static_cast<double>(pressure[i]) > kBoost_kPa;
            const bool lean = burns && (v > kOver * static_cast<double>(c->lambdaAsked[i]) || (loaded && v > kLean));
            if (lean && since_s < 0) since_s = c->time_s[i];
            if (!lean && since_s >= 0 && c->time_s[i] - since_s > kLongest_s) out += c->time_s[i] - since_s;
            if (!lean) since_s = -1;
        }
    }
    return out;
}

proposals::CorrectionChoices choicesOf(const Case& one, const Car& car, const Calibration& inCar, int round,
                                       bool nearest) {
    proposals::CorrectionChoices out;
    out.only = one.only;
    if (one.wrong == "injector-flow") {
        // Litres at the pump over litres reckoned. A pump tells to half a per cent, and no tank is full to the drop:
        // one per cent either way, drawn for each filling.
        constexpr double kFilling = 0.01;
        benchcar::Noise noise(car.seed * 31 + static_cast<uint64_t>(round));
        const double drawn = 2 * static_cast<double>(noise.next() >> 11) * 0x1p-53 - 1;
        const auto flow = calibration::readRole(inCar, "injector_flow");
        out.facts.poured = (1 + kFilling * drawn) * car.build.parts.injectors.flow_cm3min *
                           (1 + car.build.drawn.injectorFlow) / flow->values[0];
    }
    if (nearest)
        for (const char* kind : {"air", "meter"})
            out.settings[kind] = {{"method", 1}};
    return out;
}

/// Corrects and flashes round after round; the figure at the start and after each.
CorrectRun run(const Case& one, const Car& car, double amount, int rounds, bool nearest) {
    CorrectRun out;
    out.car = car.model + " " + std::to_string(car.seed);
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
    for (int round = 0;; ++round) {
        const Calibration inCar = bench::calibrationOf(*car.kit, bench);
        const Told told = drive(car, bench, one.evidence);
        const Told held = drive(car, bench, one.held);
        out.figure.push_back(one.figure(car, bench, inCar, told, held));
        out.leanest += round > 0 ? leanSeconds(told, inCar) + leanSeconds(held, inCar) : 0;
        if (out.rounds < 0 && out.figure.back() <= one.target) out.rounds = round;
        const auto drives = drivesOf(told, inCar);
        const auto looked = job::lookedAt(std::make_shared<const Drives>(*drives), inCar, {});
        const auto made = proposals::correctAll(inCar, *looked, choicesOf(one, car, inCar, round, nearest));
        if (!made) {
            out.said.push_back(made.error().text());
            break;
        }
        const auto* mine = made->of(one.kind);
        if (mine && round > 0 && mine->promise && !out.promised.empty()) out.came.push_back(mine->promise->now);
        out.said.push_back(mine ? mine->line : std::string("not this car"));
        if (round == rounds) break;
        if (mine && mine->promise)
            out.promised.push_back(mine->standing == proposals::Standing::Worth ? mine->promise->expected
                                                                                : mine->promise->now);
        Calibration after = inCar;
        for (const auto& edit : made->edits())
            if (auto done = after.apply(edit); !done) {
                out.said.push_back(done.error().text());
                break;
            }
        flash(bench, after);
    }
    return out;
}

}  // namespace

Result<CorrectProof> proveCorrect(const std::string& dataFolder, const CorrectOrders& orders,
                                  const std::function<void(const std::string&)>& progress) {
    storage::RealFileSystem files;
    const auto heron = job::loadKit(files, dataFolder + "/heron/aldine-e2.profile.json");
    const auto crane = job::loadKit(files, dataFolder + "/crane/aldine-e2-v6.profile.json");
    if (!heron) return tl::unexpected(heron.error());
    if (!crane) return tl::unexpected(crane.error());
    CorrectProof out;
    struct Job {
        const Case* of;
        size_t at;
        Car car;
    };
    std::vector<Job> jobs;
    for (const Case& one : cases()) {
        const auto named = [&](const std::string& kind) { return kind == one.kind || kind == one.wrong; };
        if (!orders.kinds.empty() && std::none_of(orders.kinds.begin(), orders.kinds.end(), named)) continue;
        out.cases.push_back({std::string(one.kind),
                             std::string(benchcar::wrongPartNamed(one.wrong)->title),
                             std::string(one.unit),
                             one.target,
                             std::string(one.what),
                             {},
                             {}});
        for (const std::string& model : one.models)
            for (int seed = 1; seed <= orders.seeds && (orders.model.empty() || orders.model == model); ++seed) {
                // Where no other weather is asked for the air is that of the sea: what altitude does is a kind of its
                // own.
                auto build = bench::drawnBuild(model.c_str(), static_cast<uint64_t>(seed));
                build.drawn.weather->pressure_kPa = kBySea_kPa;
                jobs.push_back({&one,
                                out.cases.size() - 1,
                                {model, static_cast<uint64_t>(seed), model == "crane" ? *crane : *heron, build}});
            }
    }
    std::mutex mutex;
    onAll(jobs.size(), [&](size_t i) {
        const Job& job = jobs[i];
        const double amount = benchcar::drawnAmount(*benchcar::wrongPartNamed(job.of->wrong), job.car.seed);
        CorrectRun mine = run(*job.of, job.car, amount, orders.rounds, false);
        const bool averages = job.of->kind == "air" || job.of->kind == "meter";
        if (averages) mine.nearest = run(*job.of, job.car, amount, orders.rounds, true).figure;
        const CorrectRun right = run(*job.of, job.car, 0, 1, false);
        // What the right calibration does on the same roads is the car's, not the correction's.
        mine.leanest = std::max(0.0, mine.leanest - right.leanest * orders.rounds);
        std::string line = std::string(job.of->wrong) + " " + mine.car + " (" + formatNumber(amount, 1) + "):";
        for (size_t k = 0; k < mine.figure.size(); ++k)
            line += " " + formatNumber(mine.figure[k], 2) + " [" + mine.said[k] + "]";
        line += "; right: " + formatNumber(right.figure[0], 2) + " -> " + formatNumber(right.figure.back(), 2) + " [" +
                right.said[0] + "]";
        const std::lock_guard lock(mutex);
        progress(line);
        out.cases[job.at].runs.push_back(std::move(mine));
        out.cases[job.at].harm.emplace_back(right.figure[0], right.figure.back());
    });
    return out;
}

std::string tableOf(const CorrectProof& proof) {
    std::string out =
        "| kind | wrong | figure, by the plant | target | cars | at first | 1 | 2 | 3 | met in two | rounds | nearest "
        "cell | "
        "harm | lean, s |\n"
        "| --- | --- | --- | ---: | ---: | ---: | ---: | ---: | ---: | ---: | ---: | ---: | ---: | ---: |\n";
    for (const CorrectCase& one : proof.cases) {
        const auto median = [&](auto value) {
            std::vector<double> all;
            for (const CorrectRun& each : one.runs)
                if (const auto v = value(each)) all.push_back(*v);
            return all.empty() ? std::string("-") : formatNumber(evidence::medianOf(std::move(all)), 2);
        };
        const auto after = [&](size_t round) {
            return median([&](const CorrectRun& each) {
                return round < each.figure.size() ? std::optional(each.figure[round]) : std::nullopt;
            });
        };
        size_t met = 0;
        double rounds = 0, lean = 0, worse = 0;
        size_t arrived = 0;
        for (const CorrectRun& each : one.runs) {
            met += each.figure.size() > 2 && each.figure[2] <= one.target ? 1 : 0;
            if (each.rounds >= 0) rounds += each.rounds, ++arrived;
            lean += each.leanest;
        }
        for (const auto& [before, then] : one.harm)
            worse = std::max(worse, then - before);
        out += "| " + one.kind + " | " + one.title + " | " + one.what + ", " + one.unit + " | " +
               formatNumber(one.target, 1) + " | " + std::to_string(one.runs.size()) + " | " + after(0) + " | " +
               after(1) + " | " + after(2) + " | " + after(3) + " | " + std::to_string(met) + " | " +
               (arrived ? formatNumber(rounds / static_cast<double>(arrived), 1) : "-") + " | " +
               median([](const CorrectRun& each) {
                   return each.nearest.size() > 2 ? std::optional(each.nearest[2]) : std::nullopt;
               }) +
               " | " + formatNumber(worse, 2) + " | " + formatNumber(lean, 1) + " |\n";
    }
    return out;
}

}  // namespace brusk::ctl
