// Fit, and what is expected to be left.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/proposals/AirCorrection.h"

namespace brusk::proposals {
namespace {

/// What each cell should be multiplied by, before limits; 1 where nothing is known.
std::vector<double> wantedFactors(const AirCorrection& c, const AirCorrectionOptions& options) {
    if (options.method == Method::CellFit) return knownFactors(c.fit, options.largestDoubt);
    std::vector<double> factor(c.table.values.size(), 1.0);
    for (size_t i = 0; i < factor.size(); ++i)
        if (c.cells[i].count >= kVisited) factor[i] = c.cells[i].mean;
    return factor;
}

/// The fuel error that the visited cells would show after the change, from the samples themselves.
void expect(AirCorrection& c, const evidence::MapSamples& samples) {
    const evidence::MapAxes& axes = samples.axes;
    evidence::CellFit made = c.fit;
    for (size_t i = 0; i < made.factor.size(); ++i)
        made.factor[i] = 1 + c.change[i];
    std::vector<float> left(samples.size());
    c.errorNow.resize(samples.size());
    c.errorExpected.resize(samples.size());
    for (size_t k = 0; k < samples.size(); ++k) {
        left[k] = static_cast<float>(static_cast<double>(samples.value[k]) /
                                     made.at(axes.across.locate(static_cast<double>(samples.x[k])),
                                             axes.down.locate(static_cast<double>(samples.y[k]))));
        c.errorNow[k] = samples.value[k] - 1;
        c.errorExpected[k] = left[k] - 1;
    }
    c.expected =
        evidence::fuelError(evidence::cellStatistics(axes.across, axes.down, samples.x, samples.y, left), kVisited).rms;
}

}  // namespace

Result<AirCorrection> correctAir(const calibration::Calibration& calibration, const evidence::Drives& drives,
                                 const AirCorrectionOptions& options) {
    const auto* parameter = calibration.definition().parameterWithRole("ve_map");
    if (!parameter) return fail(ErrorCode::NotFound, "The definition has no map with the role \"ve_map\".");
    auto table = calibration.read(*parameter);
    if (!table) return tl::unexpected(table.error());
    if (const auto& mixture = drives.mixture(); !mixture) return tl::unexpected(mixture.error());
    const evidence::MapSamples samples(calibration.definition(), *table, drives, evidence::Measure::density());
    return correctAir(calibration, std::move(*table), samples, options);
}

Result<AirCorrection> correctAir(const calibration::Calibration& calibration, calibration::Table table,
                                 const evidence::MapSamples& samples, const AirCorrectionOptions& options) {
    AirCorrection out;
    out.table = std::move(table);
    out.cells = samples.cells();
    out.now = evidence::fuelError(out.cells, kVisited);
    out.fit = evidence::fitCells(samples);
    if (auto done = scale(out, calibration, wantedFactors(out, options), options, "Air model from evidence"); !done)
        return tl::unexpected(done.error());
    expect(out, samples);
    return out;
}

}  // namespace brusk::proposals
