// Of each cut that lasts, the time from a tenth to six tenths of the way.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/CutLags.h"

#include "core/evidence/checks/Shared.h"

namespace brusk::evidence::checks {

namespace {

/// Seconds in which it went from a tenth to six tenths of its way, as a lag: a first-order one takes 0.81 of its own.
std::optional<double> lagOf(std::span<const double> time, Column lambda, size_t from, double until_s, double final_,
                            double first) {
    constexpr double kBegun = 0.1, kFar = 0.6, kOfLag = 0.811;
    double begun_s = -1;
    for (size_t i = from; i < time.size() && time[i] <= until_s; ++i) {
        const double way = (1 / static_cast<double>(lambda[i]) - first) / (final_ - first);
        if (begun_s < 0 && way > kBegun) begun_s = time[i];
        if (begun_s >= 0 && way > kFar) return (time[i] - begun_s) / kOfLag;
    }
    return begun_s >= 0 ? std::optional((until_s - begun_s) / kOfLag) : std::nullopt;
}

}  // namespace

namespace {

Lags measure(const Looked& at) {
    constexpr double kLeast_s = 1.8, kNear = 0.12, kAir = 0.28, kAfter_s = 3;
    Lags out;
    for (const Of& cut : eventsOfKind(at, roles::kOverrun)) {
        const Sampled& drive = at.drives[cut.drive];
        const auto time = drive.time_s();
        const Column lambda = drive.columnIfAny("lambda_measured");
        const double from_s = cut.event->from_s, to_s = cut.event->to_s;
        if (lambda.empty() || to_s - from_s < kLeast_s) continue;
        const Span cutting = samplesIn(time, from_s, to_s);
        const Extent before = extentOf(lambda, samplesIn(time, from_s - 0.3, from_s + 0.05));
        if (!(std::abs(before.mean - 1) < kNear) || cutting.begin >= cutting.end) continue;
        if (const auto lag = lagOf(time, lambda, cutting.begin, to_s, kAir, 1 / before.mean)) {
            out.begins.push_back(*lag);
            out.where.push_back({cut.drive, from_s, to_s + kAfter_s});
        }
        const size_t end = std::min(cutting.end, lambda.size() - 1);
        const double last = 1 / extentOf(lambda, samplesIn(time, to_s - 0.1, to_s + 0.1)).mean;
        if (last < 0.7)
            if (const auto lag = lagOf(time, lambda, end, to_s + kAfter_s, 1, last)) out.returns.push_back(*lag);
    }
    return out;
}

}  // namespace

const Lags& lagsOf(const Looked& at) {
    return once(at.shared.lags, [&] { return measure(at); });
}

void reportLags(const Lags& lags, Finding finding, Found& out) {
    finding.seriousness = Seriousness::Warn;
    finding.place = {"Drive", "", std::nullopt};
    finding.figures = {{"took_s", lags.middle()}};
    finding.where = lags.where;
    finding.lanes = {"lambda_measured", "lambda_asked", "fuel_cut", "airflow"};
    out.push_back(std::move(finding));
}

}  // namespace brusk::evidence::checks
