// What several finders ask of a drive: one gear, a foot that moves, the mixture after a moment.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/events/Finders.h"

namespace brusk::evidence::events {

double fullPedal_pct(Column pedal) {
    constexpr double kDown_pct = 80, kShare = 0.9, kLeast_pct = 40;
    float most = 0;
    for (const float v : pedal)
        if (v > most) most = v;
    return std::max(kLeast_pct, std::min(kDown_pct, kShare * static_cast<double>(most)));
}

std::vector<InGear> inOneGear(const Sampled& drive) {
    constexpr double kRolls_kmh = 8, kSame = 0.03, kLeast_s = 0.6;
    const auto time = drive.time_s();
    const Column speed = drive.columnIfAny("engine_speed"), road = drive.columnIfAny("vehicle_speed");
    std::vector<InGear> out;
    if (speed.empty() || road.empty()) return out;
    const double gap_s = spanGap_s(time);
    InGear open;
    size_t count = 0;
    const auto close = [&](size_t end) {
        open.span.end = end;
        if (count > 0 && time[end - 1] - time[open.span.begin] >= kLeast_s) out.push_back(open);
        count = 0;
    };
    for (size_t i = 0; i < time.size(); ++i) {
        const double ratio = valueAt(speed, i) / valueAt(road, i);
        const bool rolls = road[i] > kRolls_kmh && speed[i] > kRuns_rpm;
        const bool same =
            count > 0 && std::abs(ratio - open.ratio) < kSame * open.ratio && time[i] - time[i - 1] <= gap_s;
        if (count > 0 && (!rolls || !same)) close(i);
        if (!rolls) continue;
        if (count == 0) open = {{i, i}, ratio};
        // The mean of what was seen, so that a slow drift ends it.
        open.ratio += (ratio - open.ratio) / static_cast<double>(++count);
    }
    close(time.size());
    return out;
}

std::vector<Span> pedalSteps(const Sampled& drive, int direction) {
    constexpr double kRate_pct_s = 100, kLeast_pct = 10, kWindow_s = 0.1;
    const auto time = drive.time_s();
    const Column pedal = drive.columnIfAny("pedal");
    std::vector<Span> out;
    size_t before = 0;
    const auto quick = [&](size_t i) {
        while (time[i] - time[before] > kWindow_s)
            ++before;
        const double took_s = time[i] - time[before];
        const double moved = direction * (valueAt(pedal, i) - valueAt(pedal, before));
        return took_s > 0 && moved > kRate_pct_s * took_s;
    };
    constexpr double kOneStep_s = 0.3;  // a foot that goes in two moves
    for (const Span& span : spansWhere(time, quick, 0, kOneStep_s)) {
        // It began as far back as the first look reached.
        const size_t begin = sampleAt(time, time[span.begin] - kWindow_s / 2);
        if (direction * (valueAt(pedal, span.end - 1) - valueAt(pedal, begin)) > kLeast_pct)
            out.push_back({begin, span.end});
    }
    return out;
}

void addMixtureAreas(const Sampled& drive, double from_s, double to_s, FoundEvent& event) {
    const Column measured = drive.columnIfAny("lambda_measured"), asked = drive.columnIfAny("lambda_asked");
    const Column cut = drive.columnIfAny("fuel_cut");
    if (measured.empty() || asked.empty()) return;
    const auto time = drive.time_s();
    const Span span = samplesIn(time, from_s, to_s);
    // Air of a cut comes by the sensor later than the cut: it counts for nothing until burnt gas has come.
    constexpr double kBurnt = 1.6, kBefore_s = 1.5;
    const Span before = samplesIn(time, from_s - kBefore_s, from_s);
    bool air = extentOf(cut, before).most > 0;
    std::vector<bool> counts;
    for (size_t i = span.begin; i < span.end; ++i) {
        if (valueAt(cut, i) > 0)
            air = true;
        else if (measured[i] < kBurnt)
            air = false;
        counts.push_back(!air);
    }
    const auto off = [&](size_t i, double sign) {
        return counts[i - span.begin] ? sign * (valueAt(measured, i) - valueAt(asked, i)) : 0;
    };
    if (std::find(counts.begin(), counts.end(), true) == counts.end()) return;
    event.add("lean_area_lambda_s", areaOf(time, span, [&](size_t i) { return off(i, 1); }));
    event.add("rich_area_lambda_s", areaOf(time, span, [&](size_t i) { return off(i, -1); }));
}

}  // namespace brusk::evidence::events
