// Figures out of the plant's columns beside a drive.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "ctl/CorrectTruth.h"

#include <cmath>

#include "benchcar/plant/Noise.h"
#include "core/calibration/RoleUnits.h"
#include "core/evidence/Learned.h"
#include "core/job/LookForFaults.h"

namespace brusk::ctl::truth {

using benchcar::BenchCar;
using calibration::Calibration;
using evidence::Drives;

const Cells kDensity{"ve_map", evidence::Measure::density()};
const Cells kMetered{"meter_curve", evidence::Measure::metered()};
const Cells kUsed{"ve_map", evidence::Measure::mixture()};

std::span<const float> channel(const recording::Recording& truth, std::string_view name) {
    for (const auto& one : truth.groups[0].channels)
        if (one.name == name) return one.values.values();
    return {};
}

std::unique_ptr<Drives> drivesOf(const Told& told, const Calibration& inCar) {
    return std::make_unique<Drives>(told.recordings, job::evidenceOptions(inCar));
}

namespace {

/// With the learned values of its first and last row in a group of their own.
std::shared_ptr<const recording::Recording> withLearned(recording::Recording recording) {
    recording::Group learned;
    learned.name = evidence::kLearnedGroup;
    const auto& rows = recording.groups[0];
    learned.time_s = {rows.time_s.front(), rows.time_s.back()};
    for (const auto& one : rows.channels)
        if (one.role.starts_with("learned_trim_"))
            learned.channels.push_back(
                {one.name, one.unit, one.description, one.role, {one.values[0], one.values[one.values.size() - 1]}});
    recording.groups.push_back(std::move(learned));
    return std::make_shared<const recording::Recording>(std::move(recording));
}

}  // namespace

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
        out.recordings.push_back(withLearned(*driven.recordings[0])), out.truths.push_back(driven.truth);
    }
    return out;
}

evidence::MapSamples trueSamples(const Car& car, const Calibration& inCar, const Told& told, const Cells& cells,
                                 const Drives& drives) {
    using What = evidence::Measure::What;
    const auto read = inCar.read(*inCar.definition().parameterWithRole(cells.table));
    evidence::MapSamples samples(inCar.definition(), *read, drives, cells.measure);
    std::vector<evidence::EngineColumns> columns;
    columns.reserve(drives.size());
    for (size_t d = 0; d < drives.size(); ++d)
        columns.push_back(*evidence::engineColumns(drives[d]));
    for (size_t k = 0; k < samples.size(); ++k) {
        const auto& c = columns[samples.drive[k]];
        const auto lambda = channel(*told.truths[samples.drive[k]], "true_lambda");
        const size_t i = samples.row[k];
        const double seen =
            static_cast<double>(lambda[i]) * (1 + car.build.drawn.widebandGain) + car.build.drawn.widebandOffset;
        const auto over = [&](evidence::Column air) {
            return static_cast<double>(c.air_mg[i]) / static_cast<double>(air[i]);
        };
        const double air = cells.measure.what == What::Density   ? over(c.airByDensity_mg)
                           : cells.measure.what == What::Metered ? over(c.airByMeter_mg)
                                                                 : 1;
        samples.value[k] = static_cast<float>(seen * c.share(i) * air);
    }
    return samples;
}

std::vector<evidence::CellStat> trueCells(const Car& car, const Calibration& inCar, const Told& told, const Told& held,
                                          const Cells& of) {
    constexpr uint32_t kVisits = 3;
    auto cells = trueSamples(car, inCar, held, of, *drivesOf(held, inCar)).cells();
    const auto read = inCar.read(*inCar.definition().parameterWithRole(of.table));
    const auto learned =
        evidence::MapSamples(inCar.definition(), *read, *drivesOf(told, inCar), evidence::Measure::mixture()).visits();
    for (size_t i = 0; i < cells.size(); ++i)
        if (learned[i] < kVisits) cells[i].count = 0;
    return cells;
}

double fuelOff(const Car& car, const Calibration& inCar, const Told& told, const Told& held, const Cells& cells) {
    return evidence::fuelError(trueCells(car, inCar, told, held, cells), kEnoughSamples).rms * 100;
}

CorrectHarm harmOf(const Car& car, const Calibration& before, const Told& told, const Told& heldBefore,
                   const Calibration& after, const Told& heldAfter, const Cells& cells) {
    const auto was = trueCells(car, before, told, heldBefore, cells),
               is = trueCells(car, after, told, heldAfter, cells);
    CorrectHarm out{evidence::fuelError(was, kEnoughSamples).rms * 100,
                    evidence::fuelError(is, kEnoughSamples).rms * 100, 0};
    for (size_t i = 0; i < was.size(); ++i)
        if (was[i].count >= kEnoughSamples && is[i].count >= kEnoughSamples)
            out.cell = std::max(out.cell, (std::abs(is[i].mean - 1) - std::abs(was[i].mean - 1)) * 100);
    return out;
}

Result<proposals::Corrections> corrected(const Calibration& inCar, const Told& told,
                                         const proposals::CorrectionChoices& choices) {
    const auto looked = job::lookedAt(std::make_shared<const Drives>(*drivesOf(told, inCar)), inCar, {});
    return proposals::correctAll(inCar, *looked, choices);
}

Result<Calibration> with(Calibration calibration, const std::vector<calibration::Edit>& edits) {
    for (const auto& edit : edits)
        if (auto done = calibration.apply(edit); !done) return tl::unexpected(done.error());
    return calibration;
}

double poured(const Car& car, const Calibration& inCar, int filling) {
    constexpr double kFilling = 0.01;
    benchcar::Noise noise(car.seed * 31 + static_cast<uint64_t>(filling));
    const double drawn = 2 * static_cast<double>(noise.next() >> 11) * 0x1p-53 - 1;
    return (1 + kFilling * drawn) * std::exp(flow(car, inCar) / 100);
}

double deadTime(const Car& car, const Calibration& inCar) {
    const auto pulses = evidence::pulseModel(inCar);
    benchcar::Injectors injectors = car.build.parts.injectors;
    double sum = 0;
    int n = 0;
    for (double volts = 13; volts <= 14.5; volts += 0.25, ++n)
        sum += pulses->dead(volts) - (injectors.deadAt14_us + car.build.drawn.deadTime_us +
                                      (14 - volts) * injectors.deadSlope_us * (1 + car.build.drawn.deadSlope));
    return -sum / n;
}

double flow(const Car& car, const Calibration& inCar) {
    const auto bytes = calibration::readRole(inCar, "injector_flow");
    const double is = car.build.parts.injectors.flow_cm3min * (1 + car.build.drawn.injectorFlow);
    return std::log(is / bytes->values[0]) * 100;
}

double banksApart(const Calibration& inCar, const Told& held) {
    const auto drives = drivesOf(held, inCar);
    double sum = 0, n = 0;
    for (size_t d = 0; d < drives->size(); ++d) {
        const auto one = channel(*held.truths[d], "true_lambda"), other = channel(*held.truths[d], "true_lambda_2");
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
    return sum / n * 100;
}

double fullLoadOff(const Calibration& inCar, const Told& held) {
    constexpr double kAfter_s = 0.5;
    const auto drives = drivesOf(held, inCar);
    const auto target = calibration::readRole(inCar, "full_load_lambda");
    const auto borders = [&](roles::Role role) { return calibration::readRole(inCar, role)->values[0]; };
    const double pedal = borders("full_load_pedal"), pressure = borders("full_load_pressure"),
                 speed = borders("full_load_speed");
    const evidence::AxisLookup axis(target->x.values);
    double sum = 0, n = 0;
    for (size_t d = 0; d < drives->size(); ++d) {
        const auto lambda = channel(*held.truths[d], "true_lambda");
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

void flash(BenchCar& bench, const Calibration& calibration, bool clears) {
    namespace map = benchcar::map;
    const auto bytes = calibration.image().bytes(map::kFlash, map::kFlashSize);
    std::copy(bytes->begin(), bytes->end(), bench.memory().flash().begin());
    benchcar::sealFlash(bench.memory());
    bench.powerCycle();
    if (clears) bench.controller().clearCodes();
}

double leanSeconds(const Told& told, const Calibration& inCar) {
    constexpr double kOver = 1.03, kLean = 0.92, kBoost_kPa = 130, kLongest_s = 0.3;
    const auto drives = drivesOf(told, inCar);
    double out = 0;
    for (size_t d = 0; d < drives->size(); ++d) {
        const auto c = evidence::engineColumns((*drives)[d]);
        if (!c) continue;
        const auto lambda = channel(*told.truths[d], "true_lambda"),
                   pressure = channel(*told.truths[d], "true_manifold_pressure");
        double since_s = -1;
        for (size_t i = 1; i < c->time_s.size(); ++i) {
            const bool burns = c->fuelCut[i] == 0 && c->speed_rpm[i] > 500 && c->coolant_C[i] > 60;
            const double v = static_cast<double>(lambda[i]);
            const bool loaded = static_cast<double>(pressure[i]) > kBoost_kPa;
            const auto asked = static_cast<double>(c->lambdaAsked[i]);
            const bool lean = burns && (v > kOver * asked || (loaded && asked <= kLean && v > kLean));
            if (lean && since_s < 0) since_s = c->time_s[i];
            if (!lean && since_s >= 0 && c->time_s[i] - since_s > kLongest_s) out += c->time_s[i] - since_s;
            if (!lean) since_s = -1;
        }
    }
    return out;
}

}  // namespace brusk::ctl::truth
