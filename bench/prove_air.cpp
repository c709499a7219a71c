// What propose air answers, and how sure it says it is, against the plant's truth: drawn cars of both models, cells
// that count as seen.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <cmath>

#include "DrivenKit.h"
#include "core/evidence/CellFit.h"
#include "core/evidence/MapSamples.h"
#include "core/proposals/correct/Air.h"

using namespace brusk;

namespace {

calibration::Table veTable(const calibration::Calibration& calibration) {
    return *calibration.read(*calibration.definition().parameterWithRole("ve_map"));
}

/// The ratios as they truly were while each sample burnt, told as the car's wideband would without noise: its own error
/// is the systematic part.
evidence::MapSamples truthOf(const calibration::Calibration& calibration, const evidence::Drives& drives,
                             const std::vector<std::shared_ptr<const recording::Recording>>& truths, double gain,
                             double offset) {
    evidence::MapSamples out(calibration.definition(), veTable(calibration), drives, evidence::Measure::density());
    const auto c = *evidence::engineColumns(drives[0]);
    for (size_t k = 0; k < out.size(); ++k) {
        const auto& lambda = truths[out.drive[k]]->find("true_lambda").channel->values;
        const size_t i = out.row[k];
        const double seen = static_cast<double>(lambda[i]) * (1 + gain) + offset;
        const double density = static_cast<double>(c.air_mg[i]) / static_cast<double>(c.airByDensity_mg[i]);
        out.value[k] = static_cast<float>(seen * c.share(i) * density);
    }
    return out;
}

struct Score {
    double squares = 0, within = 0;
    size_t n = 0;
    void add(double z) { squares += z * z, within += std::abs(z) <= 2, ++n; }
    double rms() const { return n ? std::sqrt(squares / static_cast<double>(n)) : 0; }
    double share() const { return n ? 100 * within / static_cast<double>(n) : 0; }
};

}  // namespace

int main(int argc, char** argv) {
    const uint64_t cars = argc > 1 ? std::strtoull(argv[1], nullptr, 10) : 50;
    const bool tell = argc > 2;
    const std::vector<std::string> told = {"survey", "town", "hills"}, held = {"hills", "motorway", "survey", "town"};
    std::puts(
        "| model | cars | cells seen | error, % rms | doubt, % | error / doubt, rms | within 2, % | systematic, % rms "
        "| "
        "nearest cell, % rms | half the rate: doubt |\n"
        "| --- | ---: | ---: | ---: | ---: | ---: | ---: | ---: | ---: | ---: |");
    Score all;
    for (const char* model : {"heron", "crane"}) {
        Score score;
        double errors = 0, doubts = 0, systematic = 0, nearest = 0, halved = 0;
        size_t cells = 0, counted = 0, halves = 0;
        for (uint64_t seed = 1; seed <= cars / 2; ++seed) {
            const auto build = bench::drawnBuild(model, seed);
            const auto kit = bench::kitOf(build);
            const auto run = [&](uint64_t noise, const std::vector<std::string>& routes, int period_ms,
                                 std::vector<std::shared_ptr<const recording::Recording>>& truths,
                                 std::optional<calibration::Calibration>& calibration) {
                benchcar::BenchCar car(build, noise);
                const auto* wrong = benchcar::wrongPartNamed("air");
                if (seed % 2)
                    benchcar::makeWrong(car.memory(), *wrong, benchcar::drawnAmount(*wrong, seed)), car.powerCycle();
                calibration.emplace(bench::calibrationOf(*kit, car));
                evidence::Drives::Recordings recordings;
                const auto driven = bench::drive(car, {kit}, routes, period_ms);
                recordings.push_back(driven.recordings[0]);
                truths = {driven.truth};
                return std::make_unique<evidence::Drives>(recordings, job::evidenceOptions(*calibration));
            };
            std::optional<calibration::Calibration> calibration;
            std::vector<std::shared_ptr<const recording::Recording>> truths, heldTruths, none;
            const auto drives = run(seed, told, 10, truths, calibration);
            const auto later = run(seed + 1000, held, 10, heldTruths, calibration);
            const auto slow = run(seed, told, 20, none, calibration);
            if (!drives->mixture())
                std::fprintf(stderr, "%s\n", drives->mixture().error().text().c_str()), std::exit(1);
            const evidence::MapSamples samples(calibration->definition(), veTable(*calibration), *drives,
                                               evidence::Measure::density());
            const auto fit = evidence::fitCells(samples);
            const auto slowFit = evidence::fitCells(evidence::MapSamples(
                calibration->definition(), veTable(*calibration), *slow, evidence::Measure::density()));
            const auto means = samples.cells();
            const auto truthSamples =
                truthOf(*calibration, *later, heldTruths, build.drawn.widebandGain, build.drawn.widebandOffset);
            // Hardly smoothed: what smoothing gets wrong is part of the error.
            evidence::CellFitOptions rough;
            rough.curvature = 0.05;
            const auto truth = evidence::fitCells(truthSamples, rough);
            const evidence::Enough enough;
            Score mine;
            for (size_t i = 0; i < fit.factor.size(); ++i) {
                if (!enough(fit, i) || !enough(truth, i)) continue;
                const double error = std::log(fit.factor[i] / truth.factor[i]);
                const double doubt = std::hypot(fit.doubt[i], truth.doubt[i]);
                mine.add(error / doubt);
                score.add(error / doubt), all.add(error / doubt);
                errors += error * error, doubts += fit.doubt[i] * fit.doubt[i];
                nearest += std::pow(std::log(means[i].mean / truth.factor[i]), 2);
                systematic += std::pow(std::log(1 + build.drawn.widebandGain + build.drawn.widebandOffset), 2);
                ++cells;
                if (slowFit.doubt[i] > 0) halved += slowFit.doubt[i] / fit.doubt[i], ++halves;
            }
            ++counted;
            if (tell)
                std::printf(
                    "%s %llu: %zu cells, z rms %.2f, within %.0f; within %.4f between %.4f corr %.3f curv %.3f lead "
                    "%.3f; truth between %.4f; forms %.4f\n",
                    model, static_cast<unsigned long long>(seed), mine.n, mine.rms(), mine.share(), fit.within,
                    fit.between, fit.correlation_s, fit.curvature, fit.airLead_s, truth.between,
                    drives->mixture()->forms.mean);
        }
        const auto n = static_cast<double>(std::max<size_t>(1, cells));
        std::printf("| %s | %zu | %.0f a car | %.2f | %.2f | %.2f | %.1f | %.2f | %.2f | x %.3f |\n", model, counted,
                    n / static_cast<double>(counted), 100 * std::sqrt(errors / n), 100 * std::sqrt(doubts / n),
                    score.rms(), score.share(), 100 * std::sqrt(systematic / n), 100 * std::sqrt(nearest / n),
                    halves ? halved / static_cast<double>(halves) : 0);
    }
    std::printf("| both | | | | | %.2f | %.1f | | | |\n", all.rms(), all.share());
    return 0;
}
