// Three stories of a drawn car, with the plant's figures at every stage.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "ctl/ProveTogether.h"

#include <cmath>
#include <map>

#include "benchcar/plant/Noise.h"
#include "core/base/Text.h"
#include "core/evidence/FirstPull.h"

namespace brusk::ctl {
namespace {

using benchcar::BenchCar;
using calibration::Calibration;
using truth::Car;
using truth::Leg;
using truth::Told;

void makeWrong(BenchCar& bench, const Car& car, std::initializer_list<std::string_view> parts) {
    for (const std::string_view id : parts) {
        const auto& part = *benchcar::wrongPartNamed(id);
        benchcar::makeWrong(bench.memory(), part, benchcar::drawnAmount(part, car.seed));
    }
    bench.powerCycle();
}

/// These bytes with all that the drives say should be put right.
Result<Calibration> corrected(const Calibration& inCar, const Told& told) {
    const auto made = truth::corrected(inCar, told, {});
    return made ? truth::with(inCar, made->edits()) : tl::unexpected(made.error());
}

/// The first pull that was driven, as this car's wideband would tell it without noise: per cent over what was asked,
/// every speed alike.
double firstPullCame(const Car& car, const Calibration& inCar, const Told& told) {
    constexpr double kSpeeds_rpm = 500;
    const auto drives = truth::drivesOf(told, inCar);
    const auto lambda = truth::channel(*told.truths[0], "true_lambda");
    const auto pulls = drives->events()[0].of(roles::kPull);
    if (pulls.empty()) return std::nan("");
    const auto time = (*drives)[0].time_s();
    const auto asked = (*drives)[0].columnIfAny("lambda_asked"), speed = (*drives)[0].columnIfAny("engine_speed");
    std::map<int, std::pair<double, int>> speeds;
    const evidence::Mixture driven = evidence::pullMixture(*drives);
    for (const uint32_t i : driven.drives[0].row) {
        if (time[i] > pulls[0]->to_s) break;
        const double seen =
            static_cast<double>(lambda[i]) * (1 + car.build.drawn.widebandGain) + car.build.drawn.widebandOffset;
        auto& [sum, n] = speeds[static_cast<int>(static_cast<double>(speed[i]) / kSpeeds_rpm)];
        sum += seen / static_cast<double>(asked[i]), ++n;
    }
    double out = 0;
    for (const auto& [at, mean] : speeds)
        out += (mean.first / mean.second - 1) * 100 / static_cast<double>(speeds.size());
    return out;
}

}  // namespace

Result<FirstPullRun> proveFirstPull(const Car& car) {
    static const std::vector<Leg> evidence = {{{"survey", "town", "pulls-3"}}}, pull = {{{"pulls-3"}}};
    constexpr int64_t kStands_us = 8000000;
    FirstPullRun out;
    out.car = car.name();
    for (const bool clears : {false, true}) {
        BenchCar bench(car.build, car.seed);
        makeWrong(bench, car, {"air"});
        const Calibration inCar = bench::calibrationOf(*car.kit, bench);
        const Told told = truth::drive(car, bench, evidence);
        const auto next = corrected(inCar, told);
        if (!next) return tl::unexpected(next.error());
        const auto expected = evidence::firstPull(inCar, *truth::drivesOf(told, inCar), *next);
        truth::flash(bench, *next, clears);
        bench.advanceTo(bench.now_us() + kStands_us);
        const double came = firstPullCame(car, *next, truth::drive(car, bench, pull));
        if (!expected || std::isnan(came))
            return fail(ErrorCode::NotFound, out.car + ": nothing was learned, or no pull was driven.");
        out.trim = expected->trim_pct;
        (clears ? out.expectedCleared : out.expectedLeft) = clears ? expected->cleared_pct : expected->withLearned_pct;
        (clears ? out.cameCleared : out.cameLeft) = came;
    }
    return out;
}

Result<TogetherRun> proveTogether(const Car& car) {
    static const std::vector<Leg> around = {{{"survey", "town", "motorway"}}}, elsewhere = {{{"hills", "motorway"}}};
    TogetherRun out;
    out.car = car.name();
    BenchCar bench(car.build, car.seed);
    makeWrong(bench, car, {"injector", "injector-flow", "meter", "air"});
    bench.faults().regulatorUnreferenced = 1;
    benchcar::Noise noise(car.seed * 57);
    // Without a fact; then with the hose put on, and the facts that separate what is left.
    for (const char* stage :
         {"as found", "corrected without a fact", "hose put on", "corrected with facts", "once more"}) {
        const bool hasFacts = out.stages.size() >= 2;
        if (out.stages.size() == 2) bench.faults().regulatorUnreferenced = 0;
        const Calibration inCar = bench::calibrationOf(*car.kit, bench);
        const Told told = truth::drive(car, bench, around), held = truth::drive(car, bench, elsewhere);
        TogetherStage is{stage,
                         truth::deadTime(car, inCar),
                         truth::flow(car, inCar),
                         truth::fuelOff(car, inCar, told, held, truth::kMetered),
                         truth::fuelOff(car, inCar, told, held, truth::kDensity),
                         truth::fuelOff(car, inCar, told, held, truth::kUsed),
                         {},
                         {}};
        proposals::CorrectionChoices choices;
        if (hasFacts) {
            constexpr double kBench_ms = 0.01;
            choices.facts.railFollows = true;
            choices.facts.poured = truth::poured(car, inCar, static_cast<int>(out.stages.size()));
            choices.facts.deadTime_ms = is.dead_us / 1000 + kBench_ms * noise.normal();
        }
        const auto made = truth::corrected(inCar, told, choices);
        if (!made) return tl::unexpected(made.error());
        if (const auto* injector = made->of("injector")) is.said = injector->line, is.notApart = injector->warnings;
        const bool drivesOn = out.stages.size() == 1;  // the gauge comes first
        out.stages.push_back(std::move(is));
        const auto next = truth::with(inCar, made->edits());
        if (!next) return tl::unexpected(next.error());
        if (!drivesOn) truth::flash(bench, *next);
    }
    return out;
}

Result<HarmRun> proveHarm(const Car& car) {
    using Weather = benchcar::Weather;
    constexpr int kRounds = 2;
    static const std::vector<Leg> evidence = {{{"survey", "town", "motorway"}, Weather{18, 100}},
                                              {{"survey"}, Weather{2, 101}},
                                              {{"survey"}, Weather{32, 101}},
                                              {{"survey", "pulls-3"}, Weather{18, 84}}};
    static const std::vector<Leg> held = {{{"hills", "motorway"}, Weather{18, 100}}},
                                  mountain = {{{"mountain", "hills"}, Weather{18, 100}}};
    HarmRun out;
    out.car = car.name();
    BenchCar bench(car.build, car.seed);
    Told learned;
    for (int round = 0; round < kRounds; ++round) {
        const Calibration inCar = bench::calibrationOf(*car.kit, bench);
        learned = truth::drive(car, bench, evidence);
        const auto next = corrected(inCar, learned);
        if (!next) return tl::unexpected(next.error());
        truth::flash(bench, *next);
    }
    const Calibration before = bench::calibrationOf(*car.kit, bench);
    const Told heldBefore = truth::drive(car, bench, held), over = truth::drive(car, bench, mountain);
    const auto made = truth::corrected(before, over, {});
    if (!made) return tl::unexpected(made.error());
    const auto after = truth::with(before, made->edits());
    if (!after) return tl::unexpected(after.error());
    for (const proposals::Correction* one : made->made)
        out.made.push_back(std::string(one->kind->id) + ": " + one->line);
    truth::flash(bench, *after);
    const Told heldAfter = truth::drive(car, bench, held);
    // Of the cells that any of the drives learned of.
    learned.recordings.insert(learned.recordings.end(), over.recordings.begin(), over.recordings.end());
    for (const auto& [part, cells] :
         {std::pair(&HarmRun::density, truth::kDensity), std::pair(&HarmRun::metered, truth::kMetered),
          std::pair(&HarmRun::used, truth::kUsed)})
        out.*part = truth::harmOf(car, before, learned, heldBefore, *after, heldAfter, cells);
    return out;
}

}  // namespace brusk::ctl
