// Five million samples into 20 x 16 cells against the loop that does nothing else, and the cell fit of the same; and
// how often the columns of a drive are read on their way into cells, whoever asks.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <cstdio>
#include <random>

#include "DrivenKit.h"
#include "Timing.h"
#include "core/base/Parallel.h"
#include "core/proposals/correct/Air.h"

using namespace brusk::evidence;

namespace {

/// The limit: two look-ups a sample, seven numbers a cell, and nothing that a real drive needs: no sample is missing,
/// none lies outside, and threads get half each.
class Limit {
  public:
    Limit(const AxisLookup& across, const AxisLookup& down) : across_(tableOf(across)), down_(tableOf(down)) {
        columns_ = across.size(), rows_ = down.size();
    }

    double run(std::span<const float> x, std::span<const float> y, std::span<const float> v, size_t threads) const {
        struct Cell {
            double sum = 0, squares = 0;
            float least = 1e9f, most = -1e9f, last = 0;
            uint32_t count = 0;
        };
        std::vector<std::vector<Cell>> parts(threads);
        brusk::setThreads(threads);
        brusk::inParallel(threads, [&](size_t t) {
            std::vector<Cell> cells(columns_ * rows_);
            const size_t end = v.size() * (t + 1) / threads;
            for (size_t i = v.size() * t / threads; i < end; ++i) {
                Cell& cell = cells[down_.at(y[i]) * columns_ + across_.at(x[i])];
                const auto value = static_cast<double>(v[i]);
                cell.sum += value, cell.squares += value * value;
                cell.least = std::min(cell.least, v[i]), cell.most = std::max(cell.most, v[i]);
                cell.last = v[i], ++cell.count;
            }
            parts[t] = std::move(cells);
        });
        double out = 0;
        for (const auto& part : parts)
            out += part[100].sum;
        return out;
    }

  private:
    /// From a value to the node that its slot mostly belongs to.
    struct Slots {
        float first, scale;
        std::vector<uint16_t> node;
        size_t at(float value) const { return node[static_cast<size_t>(static_cast<int>((value - first) * scale))]; }
    };
    static Slots tableOf(const AxisLookup& axis) {
        constexpr size_t kSlots = 2048;
        const double first = axis.points().front(), span = axis.points().back() - first;
        Slots out{static_cast<float>(first), static_cast<float>((kSlots - 1) / span), {}};
        for (size_t i = 0; i < kSlots; ++i)
            out.node.push_back(
                static_cast<uint16_t>(axis.nearest(first + (static_cast<double>(i) + 0.5) * span / (kSlots - 1))));
        return out;
    }
    Slots across_, down_;
    size_t columns_, rows_;
};

/// A drive: the engine wanders over the map, and stays a while in each cell.
struct Wandering {
    std::vector<float> x, y, v;
    std::vector<double> time_s;

    explicit Wandering(size_t n) {
        std::mt19937 random(2);
        double speed = 3000, load = 80;
        for (size_t i = 0; i < n; ++i) {
            speed = std::clamp(speed + (static_cast<double>(random() % 2001) - 1000) * 0.05, 610.0, 6790.0);
            load = std::clamp(load + (static_cast<double>(random() % 2001) - 1000) * 0.002, 15.5, 204.0);
            x.push_back(static_cast<float>(speed)), y.push_back(static_cast<float>(load));
            v.push_back(static_cast<float>(1 + 0.05 * std::sin(speed * 0.001) + 0.00002 * (random() % 1000)));
            time_s.push_back(static_cast<double>(i) * 0.01);
        }
    }
};

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
        x[i] = 601 + static_cast<float>(random() % 6190), y[i] = 15.5f + static_cast<float>(random() % 189),
        v[i] = 0.9f + static_cast<float>(random() % 1000) * 0.0002f;
    const AxisLookup ax({600,  800,  1000, 1200, 1400, 1600, 1800, 2100, 2400, 2700,
                         3000, 3400, 3800, 4200, 4600, 5000, 5500, 6000, 6400, 6800});
    const AxisLookup ay({15, 22, 30, 38, 48, 58, 70, 80, 90, 100, 112, 125, 140, 160, 180, 205});
    const Limit limit(ax, ay);
    const Wandering drive(n);
    std::printf("%zu samples into %zu cells, five statistics\n", n, ax.size() * ay.size());
    double counted = 0;
    for (const size_t threads : {1, 2}) {
        brusk::setThreads(threads);
        const auto times = brusk::bench::inTurns(
            7, [&] { counted += cellStatistics(ax, ay, x, y, v)[100].count; },
            [&] { counted += limit.run(x, y, v, threads); },
            [&] {
                counted += fitCells(ax, ay, {x, y, v, {}, {}, {}}).factor[0];
            },
            [&] { counted += cellStatistics(ax, ay, drive.x, drive.y, drive.v)[100].count; },
            [&] {
                counted += fitCells(ax, ay, {drive.x, drive.y, drive.v, drive.time_s, {}, {}}).factor[0];
            });
        std::printf(
            "  %zu thread%s: %.0f ms, limit %.0f ms: %.2f of it; cell fit %.0f ms: %.1f times the statistics; "
            "a drive with visits: statistics %.0f ms, cell fit %.0f ms: %.1f times\n",
            threads, threads > 1 ? "s" : "", times[0] * 1e3, times[1] * 1e3, times[1] / times[0], times[2] * 1e3,
            times[2] / times[0], times[3] * 1e3, times[4] * 1e3, times[4] / times[3]);
    }
    brusk::setThreads(0);
    std::printf("(%.0f)\n", counted);
    printReads();
    return 0;
}
