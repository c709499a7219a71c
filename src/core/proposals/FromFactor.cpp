// Caution, quantising, and which cells changed for which reason.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/proposals/FromFactor.h"

#include <algorithm>
#include <cmath>

#include "core/evidence/Median.h"

namespace brusk::proposals {
namespace {

/// Whether a cell or one beside it was driven in: further away the fit only guesses.
bool nearEvidence(const evidence::CellFit& fit, size_t cell) {
    const size_t row = cell / fit.columns;
    const size_t column = cell % fit.columns;
    for (size_t r = row > 0 ? row - 1 : 0; r <= std::min(row + 1, fit.rows - 1); ++r)
        for (size_t k = column > 0 ? column - 1 : 0; k <= std::min(column + 1, fit.columns - 1); ++k)
            if (fit.visits[r * fit.columns + k] > 0) return true;
    return false;
}

}  // namespace

std::vector<bool> loadedCells(const evidence::MapSamples& samples, const evidence::Drives& drives) {
    const size_t columns = samples.axes.columns(), rows = samples.axes.rows();
    std::vector<bool> out(columns * rows);
    if (samples.axes.at("manifold_pressure", 0, 0)) {
        for (size_t i = 0; i < out.size(); ++i)
            out[i] = samples.axes.at("manifold_pressure", i / columns, i % columns).value_or(0) > kLoaded_kPa;
        return out;
    }
    std::vector<double> sum(out.size()), count(out.size());
    evidence::Column pressure;
    for (size_t k = 0; k < samples.size(); ++k) {
        if (k == 0 || samples.drive[k] != samples.drive[k - 1])
            pressure = drives[samples.drive[k]].columnIfAny("manifold_pressure");
        if (pressure.empty()) continue;
        const size_t cell = size_t{samples.axes.down.nearest(static_cast<double>(samples.y[k]))} * columns +
                            samples.axes.across.nearest(static_cast<double>(samples.x[k]));
        sum[cell] += static_cast<double>(pressure[samples.row[k]]), ++count[cell];
    }
    for (size_t i = 0; i < out.size(); ++i)
        out[i] = count[i] > 0 && sum[i] > kLoaded_kPa * count[i];
    return out;
}

void leaveAsItIs(TableCorrection& c) {
    c.change.assign(c.change.size(), 0);
    c.result = c.table.values;
    c.state.assign(c.state.size(), CellState::Untouched);
    c.edit = {};
    c.largestStep = 0, c.changed = c.unsure = c.extended = c.clamped = 0;
    c.expected = c.now.rms, c.errorExpected = c.errorNow;
}

double leftAlike(const evidence::CellFit& fit, const Caution& caution) {
    std::vector<double> told;
    for (size_t i = 0; i < fit.factor.size(); ++i)
        if (fit.visits[i] > 0 && fit.doubt[i] <= caution.largestDoubt) told.push_back(std::log(fit.factor[i]));
    if (told.empty()) return 0;
    const auto drives = static_cast<double>(std::max<size_t>(1, fit.drives.size()));
    const double middle = evidence::medianOf(told), most = caution.alike / std::sqrt(drives);
    if (std::abs(middle) >= most) return 0;
    // Cells that are off by far more, each in its own way, share nothing by which a drive could be off.
    double squares = 0;
    for (const double one : told)
        squares += (one - middle) * (one - middle) / static_cast<double>(told.size());
    return middle * most * most / (most * most + squares);
}

std::vector<double> knownFactors(const evidence::CellFit& fit, const Caution& caution,
                                 const std::vector<bool>& loaded) {
    std::vector<double> out(fit.factor.size(), 1.0);
    const double alike = std::exp(leftAlike(fit, caution));
    for (size_t i = 0; i < out.size(); ++i) {
        // The fit has weighed its own doubt already. Where its neighbours' neighbours surely ask for more fuel a cell
        // that stayed would be a hole that an engine runs lean through; less fuel is given beside evidence only.
        const bool surelyMore = std::log(fit.factor[i] / alike) > fit.doubt[i];
        if (fit.doubt[i] > caution.largestDoubt || (!surelyMore && !nearEvidence(fit, i))) continue;
        out[i] = fit.factor[i] / alike;
        if (loaded.empty() || !loaded[i] || out[i] >= 1) continue;
        const double whole = std::hypot(fit.doubt[i], caution.wideband);
        out[i] = fit.visits[i] > 0 ? std::min(1.0, out[i] * std::exp(whole)) : 1.0;
    }
    return out;
}

Done scale(ScaledTable& out, const calibration::Calibration& calibration, const std::vector<double>& factor,
           const Caution& caution, const std::string& title) {
    const definition::Parameter& parameter = *out.table.parameter;
    out.parameter = parameter.name;
    const size_t count = factor.size();
    out.state.assign(count, CellState::Untouched);
    std::vector<calibration::CellValue> wanted;
    wanted.reserve(count);
    for (size_t i = 0; i < count; ++i) {
        double step = caution.strength * (factor[i] - 1);
        const bool clamped = std::abs(step) > caution.largestStep;
        if (clamped) step = std::copysign(caution.largestStep, step);
        wanted.push_back({i, out.table.values[i] * (1 + step)});
        if (clamped) out.state[i] = CellState::Clamped;
    }
    auto edit = calibration.prepare(parameter, wanted, calibration::AtLimit::Clamp, title);
    if (!edit) return tl::unexpected(edit.error());
    out.edit = std::move(*edit);
    calibration::Calibration after = calibration;
    if (auto done = after.apply(out.edit); !done) return tl::unexpected(done.error());
    const auto stored = after.read(parameter);
    if (!stored) return tl::unexpected(stored.error());
    out.result = stored->values;
    out.change.resize(count);
    for (size_t i = 0; i < count; ++i) {
        out.sure += caution.enough(out.fit, i);
        out.change[i] = out.table.values[i] != 0 ? out.result[i] / out.table.values[i] - 1 : 0;
        if (stored->raw[i] == out.table.raw[i]) continue;
        ++out.changed;
        out.largestStep = std::max(out.largestStep, std::abs(out.change[i]));
        if (out.state[i] == CellState::Clamped) {
            ++out.clamped;
        } else if (out.fit.visits[i] == 0) {
            out.state[i] = CellState::Extended;
            ++out.extended;
        } else if (!caution.enough(out.fit, i)) {
            out.state[i] = CellState::Unsure;
            ++out.unsure;
        } else {
            out.state[i] = CellState::Changed;
        }
    }
    out.clamped += static_cast<size_t>(out.edit.clamped);
    return {};
}

namespace {

/// What each cell should be multiplied by, before limits; 1 where nothing is known.
std::vector<double> wantedFactors(const TableCorrection& c, const std::vector<bool>& loaded, const Caution& caution) {
    if (caution.method == Method::CellFit) return knownFactors(c.fit, caution, loaded);
    std::vector<double> factor(c.table.values.size(), 1.0);
    for (size_t i = 0; i < factor.size(); ++i)
        if (c.cells[i].count >= kVisited) factor[i] = c.cells[i].mean;
    return factor;
}

/// The fuel error that the visited cells would show after the change, from the samples themselves.
void expect(TableCorrection& c, const evidence::MapSamples& samples) {
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

Result<TableCorrection> correctTable(const calibration::Calibration& calibration, calibration::Table table,
                                     const evidence::MapSamples& samples, const std::vector<bool>& loaded,
                                     const Caution& caution, const std::string& title, const Shaping& shape) {
    TableCorrection out;
    out.table = std::move(table);
    out.loaded = loaded;
    out.cells = samples.cells();
    out.now = evidence::fuelError(out.cells, kVisited);
    out.fit = evidence::fitCells(samples);
    auto factor = wantedFactors(out, loaded, caution);
    if (caution.method == Method::CellFit) out.leftAlike = std::expm1(leftAlike(out.fit, caution));
    if (shape) shape(out.fit, factor);
    if (auto done = scale(out, calibration, factor, caution, title); !done) return tl::unexpected(done.error());
    expect(out, samples);
    return out;
}

}  // namespace brusk::proposals
