// What is left of engine speed at idle when its slow part is taken away.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/Unevenness.h"

#include "core/evidence/checks/Shared.h"

#include <numbers>

namespace brusk::evidence::checks {

namespace {

/// Amplitude of engine speed at so many times a turn, rpm, over a stretch: turned back by the crank's own angle.
double atOrder(std::span<const double> time, Column speed, Span span, double order) {
    const double mean = extentOf(speed, span).mean;
    double angle = 0, re = 0, im = 0;
    for (size_t i = span.begin + 1; i < span.end; ++i) {
        angle += order * 2 * std::numbers::pi * valueAt(speed, i) / 60 * (time[i] - time[i - 1]);
        const double rest = valueAt(speed, i) - mean;
        re += rest * std::cos(angle), im += rest * std::sin(angle);
    }
    return 2 * std::hypot(re, im) / static_cast<double>(span.end - span.begin);
}

}  // namespace

namespace {

Unevenness measure(const Looked& at) {
    constexpr double kStretch_s = 2, kQuick_s = 0.055, kWarm_C = 60, kOnceACycle = 0.5;
    constexpr double kBeside[] = {0.36, 0.43, 0.57, 0.64};
    Unevenness out;
    std::vector<double> rough, beside, lacks, other;
    for (const Of& idle : eventsOfKind(at, roles::kIdle)) {
        const Sampled& drive = at.drives[idle.drive];
        const auto time = drive.time_s();
        const Column speed = drive.columnIfAny("engine_speed");
        bool any = false;
        for (double from_s = idle.event->from_s + 0.5; from_s + kStretch_s < idle.event->to_s; from_s += kStretch_s) {
            const Span span = samplesIn(time, from_s, from_s + kStretch_s);
            if (span.end < span.begin + 20 || valueAt(drive.columnIfAny("coolant"), span.begin) < kWarm_C) continue;
            const double step_s =
                (time[span.end - 1] - time[span.begin]) / static_cast<double>(span.end - span.begin - 1);
            if (step_s > kQuick_s) continue;  // a cycle lasts a seventh of a second
            rough.push_back(atOrder(time, speed, span, kOnceACycle));
            for (const double order : kBeside)
                beside.push_back(atOrder(time, speed, span, order));
            any = true;
        }
        if (any) out.where.push_back(idle.where());
    }
    for (const SteadyRow& row : at.steady)
        if (row.closed) {
            lacks.push_back(row.trim() * (row.nearStop() && row.measured > 0 ? std::max(1.0, row.off()) : 1) - 1);
            other.push_back(row.trim2() - 1);
        }
    if (rough.empty() || lacks.empty()) return out;
    out.rough_rpm = medianOf(rough), out.beside_rpm = medianOf(beside);
    out.lacks = medianOf(lacks);
    const double second = medianOf(other);
    if (!std::isnan(second)) {
        out.between = std::abs(out.lacks - second);
        out.lacks = std::max(out.lacks, second);
    }
    return out;
}

}  // namespace

const Unevenness& unevennessOf(const Looked& at) {
    return once(at.shared.uneven, [&] { return measure(at); });
}

std::string Unevenness::sentence() const {
    return say("finding.one-cylinder",
               "The crank turns unevenly at idle, by {0} rpm once a cycle, and the loop adds {1} % of fuel.",
               {formatNumber(rough_rpm, 1), formatNumber(100 * lacks, 0)});
}

}  // namespace brusk::evidence::checks
