// Fit, caution, quantising, and what is expected to be left.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/proposals/AirCorrection.h"

#include <algorithm>
#include <cmath>

namespace brusk::proposals {
namespace {

/// Whether a cell or one beside it was driven in: further away the fit only guesses.
bool nearEvidence(const AirCorrection& c, size_t cell) {
    const size_t row = cell / c.fit.columns;
    const size_t column = cell % c.fit.columns;
    for (size_t r = row > 0 ? row - 1 : 0; r <= std::min(row + 1, c.fit.rows - 1); ++r)
        for (size_t k = column > 0 ? column - 1 : 0; k <= std::min(column + 1, c.fit.columns - 1); ++k)
            if (c.fit.visits[r * c.fit.columns + k] > 0) return true;
    return false;
}

/// What each cell should be multiplied by, before limits; 1 where nothing is known.
std::vector<double> wantedFactors(const AirCorrection& c, const AirCorrectionOptions& options) {
    std::vector<double> factor(c.table.values.size(), 1.0);
    for (size_t i = 0; i < factor.size(); ++i) {
        if (options.method == Method::NearestCell) {
            if (c.cells[i].count >= kVisited) factor[i] = c.cells[i].mean;
        } else if (nearEvidence(c, i) && c.fit.doubt[i] <= options.largestDoubt) {
            // The fit has weighed its own doubt already.
            factor[i] = c.fit.factor[i];
        }
    }
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
    const auto* parameter = table.parameter;
    AirCorrection out;
    out.parameter = parameter->name;
    out.table = std::move(table);
    out.cells = samples.cells();
    out.now = evidence::fuelError(out.cells, kVisited);
    out.fit = evidence::fitCells(samples);

    const std::vector<double> factor = wantedFactors(out, options);
    const size_t count = factor.size();
    out.state.assign(count, CellState::Untouched);
    std::vector<calibration::CellValue> wanted;
    for (size_t i = 0; i < count; ++i) {
        double step = options.strength * (factor[i] - 1);
        const bool clamped = std::abs(step) > options.largestStep;
        if (clamped) step = std::copysign(options.largestStep, step);
        wanted.push_back({i, out.table.values[i] * (1 + step)});
        if (clamped) out.state[i] = CellState::Clamped;
    }
    auto edit = calibration.prepare(*parameter, wanted, calibration::AtLimit::Clamp, "Air model from evidence");
    if (!edit) return tl::unexpected(edit.error());
    out.edit = std::move(*edit);
    calibration::Calibration after = calibration;
    if (auto done = after.apply(out.edit); !done) return tl::unexpected(done.error());
    const auto stored = after.read(*parameter);
    if (!stored) return tl::unexpected(stored.error());
    out.result = stored->values;
    out.change.resize(count);
    for (size_t i = 0; i < count; ++i) {
        out.sure += options.enough(out.fit, i);
        out.change[i] = out.table.values[i] != 0 ? out.result[i] / out.table.values[i] - 1 : 0;
        if (stored->raw[i] == out.table.raw[i]) continue;
        ++out.changed;
        out.largestStep = std::max(out.largestStep, std::abs(out.change[i]));
        if (out.state[i] == CellState::Clamped) {
            ++out.clamped;
        } else if (out.fit.visits[i] == 0) {
            out.state[i] = CellState::Extended;
            ++out.extended;
        } else if (!options.enough(out.fit, i)) {
            out.state[i] = CellState::Unsure;
            ++out.unsure;
        } else {
            out.state[i] = CellState::Changed;
        }
    }
    out.clamped += static_cast<size_t>(out.edit.clamped);
    expect(out, samples);
    return out;
}

}  // namespace brusk::proposals
