// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/proposals/AirCorrection.h"

#include <algorithm>
#include <cmath>

#include "core/evidence/MapAxes.h"

namespace brusk::proposals {
namespace {

/// Whether a cell or one beside it has the least evidence: further away the fit only guesses.
bool nearEvidence(const AirCorrection& c, size_t cell, double least) {
    const size_t row = cell / c.fit.columns;
    const size_t column = cell % c.fit.columns;
    for (size_t r = row > 0 ? row - 1 : 0; r <= std::min(row + 1, c.fit.rows - 1); ++r)
        for (size_t k = column > 0 ? column - 1 : 0; k <= std::min(column + 1, c.fit.columns - 1); ++k)
            if (c.fit.evidence[r * c.fit.columns + k] >= least) return true;
    return false;
}

/// What each cell should be multiplied by, before limits; 1 where nothing is known.
std::vector<double> wantedFactors(const AirCorrection& c, const AirCorrectionOptions& options) {
    std::vector<double> factor(c.table.values.size(), 1.0);
    for (size_t i = 0; i < factor.size(); ++i) {
        if (options.method == Method::NearestCell) {
            if (c.cells[i].count >= options.leastEvidence) factor[i] = c.cells[i].mean;
        } else if (nearEvidence(c, i, options.leastEvidence)) {
            // Certainty weighs the strength: what is less sure moves less, what is too unsure stays.
            const double doubt = c.fit.deviation[i] / options.largestDeviation;
            factor[i] = 1 + (c.fit.factor[i] - 1) * std::max(0.0, 1 - doubt * doubt);
        }
    }
    return factor;
}

/// The fuel error that the visited cells would show after the change, from the samples themselves.
void expect(AirCorrection& c, const evidence::AirSamples& samples, const evidence::MapAxes& axes) {
    const auto across = axes.across(samples), down = axes.down(samples);
    evidence::CellFit made = c.fit;
    for (size_t i = 0; i < made.factor.size(); ++i)
        made.factor[i] = 1 + c.change[i];
    std::vector<float> left(samples.size());
    c.errorNow.resize(samples.size());
    c.errorExpected.resize(samples.size());
    for (size_t k = 0; k < samples.size(); ++k) {
        left[k] = static_cast<float>(samples.ratio[k] /
                                     made.at(axes.across().locate(across[k]), axes.down().locate(down[k])));
        c.errorNow[k] = samples.ratio[k] - 1;
        c.errorExpected[k] = left[k] - 1;
    }
    c.expected = evidence::fuelError(axes.statistics(samples, left), kVisited).rms;
}

}  // namespace

Result<AirCorrection> correctAir(const calibration::Calibration& calibration, const evidence::AirSamples& samples,
                                 const AirCorrectionOptions& options) {
    const auto* parameter = calibration.definition().parameterWithRole("ve_map");
    if (!parameter) return fail(ErrorCode::NotFound, "The definition has no map with the role \"ve_map\".");
    auto table = calibration.read(*parameter);
    if (!table) return tl::unexpected(table.error());
    AirCorrection out;
    out.parameter = parameter->name;
    out.table = std::move(*table);
    const evidence::MapAxes axes(out.table);
    out.cells = axes.statistics(samples);
    out.now = evidence::fuelError(out.cells, kVisited);
    out.fit = evidence::fitCells(axes.across(), axes.down(), axes.across(samples), axes.down(samples), samples.ratio);

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
        out.change[i] = out.table.values[i] != 0 ? out.result[i] / out.table.values[i] - 1 : 0;
        if (stored->raw[i] == out.table.raw[i]) continue;
        ++out.changed;
        out.largestStep = std::max(out.largestStep, std::abs(out.change[i]));
        if (out.state[i] == CellState::Clamped) {
            ++out.clamped;
        } else if (out.fit.evidence[i] < options.leastEvidence) {
            out.state[i] = CellState::Extended;
            ++out.extended;
        } else {
            out.state[i] = CellState::Changed;
        }
    }
    out.clamped += static_cast<size_t>(out.edit.clamped);
    expect(out, samples, axes);
    return out;
}

}  // namespace brusk::proposals
