// Caution, quantising, and which cells changed for which reason.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/proposals/FromFactor.h"

#include <algorithm>
#include <cmath>

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

std::vector<double> knownFactors(const evidence::CellFit& fit, double largestDoubt) {
    std::vector<double> out(fit.factor.size(), 1.0);
    for (size_t i = 0; i < out.size(); ++i)
        // The fit has weighed its own doubt already.
        if (nearEvidence(fit, i) && fit.doubt[i] <= largestDoubt) out[i] = fit.factor[i];
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

}  // namespace brusk::proposals
