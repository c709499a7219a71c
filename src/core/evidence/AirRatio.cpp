// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/AirRatio.h"

#include <algorithm>
#include <cmath>

namespace brusk::evidence {
namespace {

constexpr double kAverage_s = 0.03;  // the wideband is averaged this far to both sides of its moment

/// Mean of 1/lambda around a moment, as lambda: the mean of the fuel's share is what the exhaust mixes.
double lambdaAround(const EngineColumns& c, double t, size_t& cursor) {
    while (cursor > 0 && c.widebandTime_s[cursor] > t - kAverage_s)
        --cursor;
    while (cursor + 1 < c.widebandTime_s.size() && c.widebandTime_s[cursor] < t - kAverage_s)
        ++cursor;
    double sum = 0;
    int count = 0;
    for (size_t i = cursor; i < c.widebandTime_s.size() && c.widebandTime_s[i] <= t + kAverage_s; ++i) {
        sum += 1 / c.wideband[i];
        ++count;
    }
    return count ? count / sum : std::nan("");
}

}  // namespace

Result<AirSamples> airSamples(const std::vector<const recording::Recording*>& recordings, const SettlingRules& rules) {
    std::vector<EngineColumns> all;
    for (const recording::Recording* recording : recordings) {
        auto columns = engineColumns(*recording);
        if (!columns) return tl::unexpected(columns.error());
        all.push_back(std::move(*columns));
    }
    AirSamples out;
    out.delay = measureDelay(all);
    for (size_t source = 0; source < all.size(); ++source) {
        const EngineColumns& c = all[source];
        size_t cursor = 0;
        for (const uint32_t i : settledSamples(c, out.delay, rules, out.cost)) {
            const double measured = lambdaAround(c, c.time_s[i] + out.delay.at(c.airflow_kgh[i]), cursor);
            const double ratio = airRatioOf(measured, c.lambdaAsked[i], c.shortTrim[i], c.longTrim[i]);
            if (!std::isfinite(ratio) || ratio <= 0) continue;
            out.x.push_back(static_cast<float>(c.speed_rpm[i]));
            out.y.push_back(static_cast<float>(c.pressure_kPa[i]));
            out.ratio.push_back(static_cast<float>(ratio));
            out.time_s.push_back(static_cast<float>(c.time_s[i]));
            out.source.push_back(static_cast<uint16_t>(source));
        }
    }
    return out;
}

}  // namespace brusk::evidence
