// Stretches of a drive in which something holds, and what a column says in one.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <algorithm>
#include <cmath>
#include <span>
#include <vector>

#include "core/evidence/Sampled.h"

namespace brusk::evidence {

/// Samples from `begin` up to, and without, `end`.
struct Span {
    size_t begin = 0, end = 0;
};

/// Beyond so long between two samples something is missing; a slow recorder has longer steps than a quick one.
inline double spanGap_s(std::span<const double> time_s) {
    constexpr double kLeast_s = 0.5, kSteps = 3;
    if (time_s.size() < 2) return kLeast_s;
    return std::max(kLeast_s, kSteps * (time_s.back() - time_s.front()) / static_cast<double>(time_s.size() - 1));
}

/// Stretches in which `holds(i)`, none of them across a gap, each at least `least_s` long. A break of no more than
/// `bridge_s` ends none.
template <class Holds>
std::vector<Span> spansWhere(std::span<const double> time_s, Holds holds, double least_s = 0, double bridge_s = 0) {
    std::vector<Span> out;
    const double gap_s = spanGap_s(time_s);
    Span open{0, 0};
    bool is = false;
    const auto close = [&] {
        if (is && time_s[open.end - 1] - time_s[open.begin] >= least_s) out.push_back(open);
        is = false;
    };
    for (size_t i = 0; i < time_s.size(); ++i) {
        if (is && time_s[i] - time_s[i - 1] > gap_s) close();
        if (holds(i)) {
            if (!is) open = {i, i};
            is = true;
            open.end = i + 1;
        } else if (is && time_s[i] - time_s[open.end - 1] > bridge_s) {
            close();
        }
    }
    close();
    return out;
}

/// Index of the last sample not after `t`; for clocks that are not empty.
inline size_t sampleAt(std::span<const double> time_s, double t) {
    const auto at = std::upper_bound(time_s.begin(), time_s.end(), t);
    return at == time_s.begin() ? 0 : static_cast<size_t>(at - time_s.begin()) - 1;
}

/// The samples of a stretch of time.
inline Span samplesIn(std::span<const double> time_s, double from_s, double to_s) {
    return {static_cast<size_t>(std::lower_bound(time_s.begin(), time_s.end(), from_s) - time_s.begin()),
            static_cast<size_t>(std::upper_bound(time_s.begin(), time_s.end(), to_s) - time_s.begin())};
}

/// What a column says in a stretch: NaN for all where it says nothing, or was not recorded.
struct Extent {
    double mean = std::nan(""), spread = std::nan(""), least = std::nan(""), most = std::nan("");
    size_t count = 0;
    double range() const { return most - least; }
};
inline Extent extentOf(Column column, Span span) {
    Extent out;
    double sum = 0, squares = 0;
    for (size_t i = span.begin; i < std::min(span.end, column.size()); ++i) {
        const auto v = static_cast<double>(column[i]);
        if (std::isnan(v)) continue;
        if (out.count++ == 0) out.least = out.most = v;
        out.least = std::min(out.least, v), out.most = std::max(out.most, v);
        sum += v, squares += v * v;
    }
    if (out.count == 0) return out;
    const auto n = static_cast<double>(out.count);
    out.mean = sum / n;
    out.spread = std::sqrt(std::max(0.0, squares / n - out.mean * out.mean));
    return out;
}

/// Of a column at a sample; NaN where it was not recorded.
inline double valueAt(Column column, size_t i) {
    return i < column.size() ? static_cast<double>(column[i]) : std::nan("");
}

/// One over the other beyond a border, over time: how much and how long, in the unit of the column times seconds.
template <class Off>
double areaOf(std::span<const double> time_s, Span span, Off off) {
    double out = 0;
    const double gap_s = spanGap_s(time_s);
    for (size_t i = std::max<size_t>(span.begin, 1); i < span.end; ++i) {
        const double v = off(i);
        if (v > 0) out += v * std::min(time_s[i] - time_s[i - 1], gap_s);
    }
    return out;
}

}  // namespace brusk::evidence
