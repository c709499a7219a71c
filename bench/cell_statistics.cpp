// Five million samples into 16 x 14 cells: the O(1) look-up against a binary search a sample, and the cell fit; and how
// often the columns of a drive are read on their way into cells, whoever asks.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <chrono>
#include <cstdio>
#include <random>

#include "DrivenCar.h"
#include "core/proposals/AirCorrection.h"

using namespace brusk::evidence;

namespace {

double seconds(auto work) {
    const auto begun = std::chrono::steady_clock::now();
    work();
    return std::chrono::duration<double>(std::chrono::steady_clock::now() - begun).count();
}

/// The plain way: nearest breakpoint by binary search, sums of squares.
std::vector<CellStat> bySearch(const AxisLookup& ax, const AxisLookup& ay, const std::vector<float>& x,
                               const std::vector<float>& y, const std::vector<float>& v) {
    const auto nearest = [](const std::vector<double>& points, double value) {
        const auto above = std::lower_bound(points.begin(), points.end(), value);
        if (above == points.begin()) return size_t{0};
        if (above == points.end()) return points.size() - 1;
        const auto i = static_cast<size_t>(above - points.begin());
        return value - points[i - 1] < points[i] - value ? i - 1 : i;
    };
    std::vector<CellStat> cells(ax.size() * ay.size());
    for (size_t i = 0; i < v.size(); ++i) {
        CellStat& cell = cells[nearest(ay.points(), static_cast<double>(y[i])) * ax.size() +
                               nearest(ax.points(), static_cast<double>(x[i]))];
        ++cell.count;
        cell.mean += static_cast<double>(v[i]);
        cell.spread += static_cast<double>(v[i]) * static_cast<double>(v[i]);
        cell.least = std::min(cell.least, v[i]);
        cell.most = std::max(cell.most, v[i]);
    }
    return cells;
}

/// The same drive as somebody would have it whose controller tells pressure in mbar.
std::shared_ptr<const brusk::recording::Recording> inMillibar(const brusk::recording::Recording& from) {
    auto out = std::make_shared<brusk::recording::Recording>(from);
    for (auto& channel : out->groups[0].channels) {
        if (channel.unit != "kPa") continue;
        channel.unit = "mbar";
        for (float& v : channel.values.edit())
            v *= 10;
    }
    return out;
}

/// A drive through town: air corrected, axes checked, figures taken and the cells of the map filled, from one `Drives`.
/// A column in the unit of its role is used where it lies.
void printReads() {
    using namespace brusk;
    const auto build = bench::drawnBuild("heron", 1);
    const auto kit = bench::kitOf(build);
    benchcar::BenchCar car(build, 1);
    const auto inCar = bench::calibrationOf(*kit, car);
    const auto recorded = bench::drive(car, {kit}, {"town"}).recordings[0];
    for (const auto& recording : {recorded, inMillibar(*recorded)}) {
        const Drives drives({recording}, job::evidenceOptions(inCar));
        const auto air = proposals::correctAir(inCar, drives, {});
        if (!air) std::fprintf(stderr, "%s\n", air.error().text().c_str()), std::exit(1);
        const auto axes = checkAxes(inCar, drives);
        (void)drives.figures();
        const MapSamples cells(*kit->definition, air->table, drives, Measure::mixture());
        size_t most = 0;
        const auto conversions = drives[0].conversions();
        for (const auto& [channel, times] : conversions)
            most = std::max(most, times);
        std::printf(
            "%zu rows, pressure in %s, into air correction, %zu axis checks, figures and cells: %zu columns converted, "
            "each at most %zu times\n",
            drives[0].size(), recording == recorded ? "kPa" : "mbar", axes.looked.size(), conversions.size(), most);
    }
}

}  // namespace

int main() {
    constexpr size_t n = 5'000'000;
    std::mt19937 random(1);
    std::vector<float> x(n), y(n), v(n);
    for (size_t i = 0; i < n; ++i)
        x[i] = 600 + static_cast<float>(random() % 6200), y[i] = 15 + static_cast<float>(random() % 190),
        v[i] = 0.9f + static_cast<float>(random() % 1000) * 0.0002f;
    const AxisLookup ax({600, 800, 1000, 1250, 1500, 1800, 2200, 2600, 3000, 3500, 4000, 4500, 5000, 5600, 6200, 6800});
    const AxisLookup ay({15, 22, 30, 38, 48, 58, 70, 85, 100, 115, 130, 150, 175, 205});
    size_t counted = 0;
    const double search = seconds([&] { counted += bySearch(ax, ay, x, y, v)[100].count; });
    const double lookup = seconds([&] { counted += cellStatistics(ax, ay, x, y, v)[100].count; });
    const double fit = seconds([&] { counted += fitCells(ax, ay, {x, y, v, {}, {}, {}}).factor.size(); });
    std::printf("%zu samples into %zu cells (%zu)\n", n, ax.size() * ay.size(), counted);
    std::printf("binary search %.0f ms, look-up table %.0f ms: %.1f times as fast\n", search * 1000, lookup * 1000,
                search / lookup);
    std::printf("cell fit with four passes %.0f ms: %.1f times one pass of statistics\n", fit * 1000, fit / lookup);
    printReads();
    return 0;
}
