// The wideband's delay as drives tell it, against the plant's: drawn cars, every route, at idle, cruise and full load.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <cmath>

#include "DrivenKit.h"
#include "core/evidence/Drives.h"

using namespace brusk;

namespace {

/// Where the engine is, by what was recorded.
enum Where { kIdle, kCruise, kFull, kPlaces };
constexpr const char* kPlaceNames[] = {"idle", "cruise", "full load"};

int placeOf(const evidence::EngineColumns& c, const evidence::Column& pedal, size_t i) {
    if (c.fuelCut[i] != 0 || c.speed_rpm[i] < 500) return kPlaces;
    if (c.speed_rpm[i] < 1100 && c.airflow_kgh[i] < 25) return kIdle;
    if (pedal[i] > 90 && c.speed_rpm[i] > 2500 && c.airflow_kgh[i] > 120) return kFull;
    if (c.speed_rpm[i] > 1400 && c.speed_rpm[i] < 3200 && pedal[i] > 5 && pedal[i] < 50) return kCruise;
    return kPlaces;
}

struct Tally {
    std::vector<double> errors_ms;
    int covered = 0;
};

double quantile(std::vector<double> v, double q) {
    for (double& x : v)
        x = std::abs(x);
    std::sort(v.begin(), v.end());
    return v.empty() ? 0 : v[static_cast<size_t>(q * static_cast<double>(v.size() - 1))];
}

}  // namespace

int main(int argc, char** argv) {
    const uint64_t cars = argc > 1 ? std::strtoull(argv[1], nullptr, 10) : 30;
    const std::vector<std::string> routes = {"survey",  "town",        "hills",       "pulls-3",
                                             "tip-ins", "coast-downs", "target-steps"};
    const bool tell = argc > 2;
    std::printf(
        "| route | drives that tell | events | idle, ms: median, worst | cruise | full load | within 15 ms | its doubt "
        "covers (2 sd) |\n| --- | ---: | ---: | ---: | ---: | ---: | ---: | ---: |\n");
    for (const std::string& route : routes) {
        Tally tally[kPlaces];
        int told = 0, silent = 0, within = 0, asked = 0;
        double events = 0;
        for (uint64_t seed = 1; seed <= cars; ++seed) {
            const char* model = seed % 2 ? "heron" : "crane";
            const auto build = bench::drawnBuild(model, seed);
            benchcar::BenchCar car(build, seed);
            const auto kit = bench::kitOf(build);
            const auto driven = bench::drive(car, {kit}, {route});
            const evidence::Sampled drive(driven.recordings[0]);
            const auto columns = evidence::engineColumns(drive);
            if (!columns) std::fprintf(stderr, "%s\n", columns.error().text().c_str()), std::exit(1);
            const auto delay =
                evidence::measureDelay({*columns}, evidence::pulseModel(bench::calibrationOf(*kit, car)));
            if (!delay.measured()) {
                ++silent;
                continue;
            }
            ++told;
            events += static_cast<double>(delay.events);
            const auto pedal = drive.columnIfAny("pedal");
            const auto& truth = driven.truth->find("true_delay").channel->values;
            double off[kPlaces] = {}, doubt[kPlaces] = {};
            int n[kPlaces] = {};
            for (size_t i = 50; i < truth.size(); ++i) {
                const int place = placeOf(*columns, pedal, i);
                if (place == kPlaces) continue;
                const auto flow = static_cast<double>(columns->airflow_kgh[i]),
                           speed = static_cast<double>(columns->speed_rpm[i]);
                if (std::abs(flow - static_cast<double>(columns->airflow_kgh[i - 50])) > 0.1 * flow) continue;
                off[place] += delay.transport_s(flow, speed, columns->exhaustAt(i)) - static_cast<double>(truth[i]);
                doubt[place] += delay.doubt_s(flow, speed, columns->exhaustAt(i));
                ++n[place];
            }
            for (int place = 0; place < kPlaces; ++place) {
                if (n[place] < 100) continue;
                const double error_ms = 1000 * off[place] / n[place], doubt_ms = 1000 * doubt[place] / n[place];
                tally[place].errors_ms.push_back(error_ms);
                tally[place].covered += std::abs(error_ms) <= 2 * doubt_ms;
                ++asked;
                within += std::abs(error_ms) <= 15;
                if (tell)
                    std::printf(
                        "%s %s %llu %s: off %.1f ms, doubt %.1f; M %.2f c %.2f lag %.3f; %zu events, drawn age %.3f\n",
                        route.c_str(), model, static_cast<unsigned long long>(seed), kPlaceNames[place], error_ms,
                        doubt_ms, delay.mass_g, delay.cycles, delay.lag_s, delay.events, build.drawn.widebandAge_s);
            }
        }
        int covered = 0;
        for (const Tally& t : tally)
            covered += t.covered;
        std::printf("| %s | %d of %d | %.0f |", route.c_str(), told, told + silent, told ? events / told : 0);
        for (const Tally& t : tally)
            if (t.errors_ms.empty())
                std::printf(" - |");
            else
                std::printf(" %.1f, %.1f |", quantile(t.errors_ms, 0.5), quantile(t.errors_ms, 1));
        std::printf(" %d of %d | %d of %d |\n", within, asked, covered, asked);
    }
    return 0;
}
