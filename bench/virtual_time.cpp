// How much faster than real time the bench car runs, with sampling on, and what each part costs a simulated second.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <chrono>
#include <cstdio>

#include "benchcar/VirtualBus.h"
#include "core/job/Drive.h"

using namespace brusk;

namespace {

double seconds(auto work) {
    const auto begun = std::chrono::steady_clock::now();
    work();
    return std::chrono::duration<double>(std::chrono::steady_clock::now() - begun).count();
}

constexpr double kSimulated_s = 300;

}  // namespace

int main() {
    storage::RealFileSystem files;
    const auto kit = job::loadKit(files, BRUSK_DATA_DIR "/heron/aldine-e2.profile.json");
    if (!kit) return std::fprintf(stderr, "%s\n", kit.error().text().c_str()), 1;

    benchcar::BenchCar alone(benchcar::kHeronFitted, 1);
    alone.startRoute(*benchcar::routeNamed("survey"));
    const double car_s = seconds([&] {
        // The car by itself: plant and controller, frames thrown away.
        for (int i = 1; i <= static_cast<int>(kSimulated_s * 100); ++i) {
            alone.advanceTo(i * 10000);
            while (alone.nextFrame()) {
            }
        }
    });

    benchcar::BenchCar car(benchcar::kHeronFitted, 1);
    benchcar::VirtualBus bus(car);
    link::Uds uds(bus, (*kit)->profile);
    std::vector<std::string> all;
    for (const auto& m : (*kit)->definition->measurements)
        all.push_back(m.name);
    const auto channels = job::channelSet(**kit, all);
    if (!channels) return std::fprintf(stderr, "%s\n", channels.error().text().c_str()), 1;
    job::DriveRecorder recorder(uds, **kit, *channels);
    car.startRoute(*benchcar::routeNamed("survey"));
    size_t rows = 0;
    Done done;
    const double sampled_s = seconds([&] {
        done = recorder.start();
        if (done)
            done = recorder.poll(
                bus.now_us() + static_cast<int64_t>(kSimulated_s * 1e6),
                [&](double, const std::vector<float>&) { ++rows; }, [](double, const std::vector<float>&) {});
    });
    if (!done) return std::fprintf(stderr, "%s\n", done.error().text().c_str()), 1;
    std::printf("%.0f s simulated, %zu channels at 100 Hz, %zu rows, bus load %.0f %%\n", kSimulated_s,
                channels->measurements.size(), rows, channels->plan.busLoad * 100);
    std::printf("plant and controller alone: %.0f times real time, %.2f ms a simulated second\n", kSimulated_s / car_s,
                car_s / kSimulated_s * 1000);
    std::printf("with bus, diagnostics and sampling: %.0f times real time, %.2f ms a simulated second\n",
                kSimulated_s / sampled_s, sampled_s / kSimulated_s * 1000);
    return 0;
}
