// The airflow meter's curve: r of what the meter said, along its own signal. It rises, and its ends keep the shape they
// have beside what was driven.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>

#include "core/base/Say.h"
#include "core/base/Text.h"
#include "core/proposals/correct/Kinds.h"

namespace brusk::proposals::correct {
namespace {

/// Beyond the driven readings the curve moves as a whole with the nearest that is known; but where more flows than
/// anybody has seen never to less fuel.
void keepEnds(const evidence::CellFit& fit, double largestDoubt, std::vector<double>& factor) {
    const auto known = [&](size_t i) { return fit.visits[i] > 0 && fit.doubt[i] <= largestDoubt; };
    size_t first = 0, last = factor.size();
    while (first < factor.size() && !known(first))
        ++first;
    if (first == factor.size()) return;
    while (!known(last - 1))
        --last;
    std::fill(factor.begin(), factor.begin() + static_cast<long>(first), factor[first]);
    for (size_t i = last; i < factor.size(); ++i)
        factor[i] = std::max(factor[i], factor[last - 1]);
}

/// Where two readings would come to lie in the wrong order both take their mean (pool adjacent violators).
void keepRising(const std::vector<double>& old, std::vector<double>& factor) {
    struct Pool {
        double sum = 0;
        size_t count = 0;
        double mean() const { return sum / static_cast<double>(count); }
    };
    std::vector<Pool> pools;
    pools.reserve(old.size());
    for (size_t i = 0; i < old.size(); ++i) {
        pools.push_back({old[i] * factor[i], 1});
        // What was level before may stay so.
        while (pools.size() > 1 && pools[pools.size() - 2].mean() > pools.back().mean()) {
            const Pool last = pools.back();
            pools.pop_back();
            pools.back().sum += last.sum, pools.back().count += last.count;
        }
    }
    size_t i = 0;
    for (const Pool& pool : pools)
        for (size_t k = 0; k < pool.count; ++k, ++i)
            if (old[i] > 0 && pool.count > 1) factor[i] = pool.mean() / old[i];
}

}  // namespace

Result<Correction> meter(const CorrectionInput& in) {
    const auto* parameter = in.calibration.definition().parameterWithRole("meter_curve");
    if (!parameter) return fail(ErrorCode::NotFound, "The definition has no curve with the role \"meter_curve\".");
    auto table = in.calibration.read(*parameter);
    if (!table) return tl::unexpected(table.error());
    if (const auto& mixture = in.drives.mixture(); !mixture) return tl::unexpected(mixture.error());
    const evidence::MapSamples samples(in.calibration.definition(), *table, in.drives, evidence::Measure::metered());
    if (samples.size() == 0) {
        Correction out;
        out.line = "for air by the meter, which was not recorded or not in use";
        return out;
    }
    const Caution caution = cautionOf(in);
    const std::vector<double> old = table->values;
    auto made =
        correctTable(in.calibration, std::move(*table), samples, loadedCells(samples, in.drives), caution,
                     "Airflow meter from evidence", [&](const evidence::CellFit& fit, std::vector<double>& factor) {
                         keepEnds(fit, caution.largestDoubt, factor);
                         keepRising(old, factor);
                     });
    if (!made) return tl::unexpected(made.error());
    Correction out =
        ofTable(in, std::move(*made),
                "flow new = flow old \u00d7 m; ln m per reading from ln r = ln[(lambda measured / lambda asked) "
                "(1 + short)(1 + long) (air used / air by the meter)]");
    constexpr double kShown = 0.005;
    const TableCorrection& curve = out.tables[0];
    size_t seen = curve.change.size();
    while (seen > 0 && curve.fit.visits[seen - 1] == 0)
        --seen;
    if (out.changes() && seen > 0 && seen < curve.change.size() && curve.change[seen - 1] < -kShown &&
        curve.change.back() >= 0)
        out.warnings.push_back(say("correct.meter-end",
                                   "Above {0} {1} nobody drove: there the curve stays as it is, for less fuel is given "
                                   "only where that was seen.",
                                   {formatNumber(curve.table.x.values[seen - 1], 0), curve.table.x.unit}));
    return out;
}

}  // namespace brusk::proposals::correct
