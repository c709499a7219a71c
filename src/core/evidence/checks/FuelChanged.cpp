// The same share more or less fuel everywhere, from one moment on.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <map>

#include "core/evidence/checks/Looks.h"
#include "core/evidence/checks/Shared.h"

namespace brusk::evidence::checks {

namespace {

struct Step {
    size_t drive = 0;
    double from_s = 0;
    double step = 0;  ///< of ln of the fuel asked for; nil: none
    double sure = 0.85;
};

/// By the loop, zone by zone of airflow.
Step byLoop(const Looked& at) {
    constexpr double kStep = 0.035, kSure = 6, kZone = 2, kFindsIts_s = 60, kOctaves = 1.5;
    constexpr size_t kFewest = 5, kMostSplits = 200;
    struct Row {
        size_t drive;
        double at_s, zone, share;
    };
    std::vector<Row> rows;
    for (const SteadyRow& row : at.steady)
        // Until it has found its place the loop is on its way.
        if (row.from_s > at.drives[row.drive].time_s().front() + kFindsIts_s && row.closed &&
            std::abs(row.asked - 1) < 0.02)
            rows.push_back({row.drive, row.from_s, std::floor(kZone * std::log2(std::max(1.0, row.airflow_kgh))),
                            std::log(row.trim() * (row.nearStop() && row.off() > 0 ? row.off() : 1))});
    if (rows.size() < 2 * kFewest) return {};
    double best = 0, step = 0, spread = 0, least = INFINITY;
    size_t where = 0;
    // A day of driving is not tried row by row.
    const size_t stride = 1 + rows.size() / kMostSplits;
    for (size_t k = kFewest; k + kFewest <= rows.size(); k += stride) {
        // Zone by zone, so that another kind of driving is no other fuel.
        std::map<double, std::pair<std::vector<double>, std::vector<double>>> zones;
        for (size_t i = 0; i < rows.size(); ++i)
            (i < k ? zones[rows[i].zone].first : zones[rows[i].zone].second).push_back(rows[i].share);
        std::vector<double> steps, rest;
        for (const auto& [zone, sides] : zones) {
            if (sides.first.empty() || sides.second.empty()) continue;
            const double a = medianOf(sides.first), b = medianOf(sides.second);
            for (size_t n = 0; n < std::min(sides.first.size(), sides.second.size()); ++n)
                steps.push_back(b - a);
            for (const double one : sides.first)
                rest.push_back(std::abs(one - a));
            for (const double one : sides.second)
                rest.push_back(std::abs(one - b));
        }
        if (steps.size() < 3) continue;
        double lowest = INFINITY, highest = -INFINITY;
        for (const auto& [zone, sides] : zones)
            if (!sides.first.empty() && !sides.second.empty())
                lowest = std::min(lowest, zone), highest = std::max(highest, zone);
        if (highest - lowest < kZone * kOctaves) continue;
        const double size = medianOf(steps), about = medianOf(rest) + 0.003;
        // The same everywhere, else it is a leak or a sensor.
        const auto [low, high] = std::minmax_element(steps.begin(), steps.end());
        if (std::abs(size) < kStep || *high - *low > 0.35 * std::abs(size) + 0.012) continue;
        const double sure = std::abs(size) / about;
        if (sure > best) best = sure, step = size, spread = about;
        // How sure it is hardly tells where it was; what is left unlike on both sides does.
        double left = 0;
        for (const double one : rest)
            left += one;
        if (sure > kSure && left < least) least = left, where = k;
    }
    if (best < kSure || spread > 0.5 * std::abs(step)) return {};
    return {rows[where].drive, rows[where].at_s, step};
}

/// By the whole fit: flow or fuel is to blame in one part and not, or by another amount, in the other.
Step byFit(const Looked& at) {
    using Id = Suspect::Id;
    constexpr double kStep = 0.05, kSure = 0.6;
    const auto& change = changeIn(at);
    if (!change) return {};
    const auto fuel = [](const MixtureBlame& blame) { return blame.chanceOf({Id::Flow, Id::Stoichiometry}); };
    const auto level = [&](const MixtureBlame& blame) { return fuel(blame) > kBlamed ? blame.of(Id::Flow).alone : 0; };
    const double step = level(change->since) - level(change->before);
    const double sure = std::max(fuel(change->before), fuel(change->since));
    if (sure < kSure || std::abs(step) < kStep) return {};
    return {change->drive, change->from_s, step, sure};
}

}  // namespace

void fuelChanged(const Looked& at, Found& out) {
    Step change = byLoop(at);
    if (change.step == 0) change = byFit(at);
    if (change.step == 0) return;
    Finding finding;
    finding.seriousness = Seriousness::Warn;
    finding.certainty = certaintyOf(change.sure);
    finding.seen = say("finding.fuel-changed", "From a moment on the loop {0} {1} % everywhere alike.",
                       {change.step > 0 ? "adds" : "takes away", formatNumber(100 * std::abs(change.step), 0)});
    finding.means = {
        change.step > 0 ? "fuel with more ethanol came from the tank" : "fuel with less ethanol came from the tank",
        "the fuel pressure changed"};
    finding.todo = "Tell what is in the tank; what was driven before and after is not to be mixed.";
    finding.place = {"Drive", "", roles::Role("stoichiometric_ratio")};
    finding.figures = {{"short_trim_pct", 100 * change.step}};
    const auto time = at.drives[change.drive].time_s();
    finding.where.push_back({change.drive, change.from_s, std::max(change.from_s + 1, time.back())});
    finding.lanes = {"short_trim", "long_trim", "lambda_measured", "airflow"};
    out.push_back(std::move(finding));
}

}  // namespace brusk::evidence::checks
