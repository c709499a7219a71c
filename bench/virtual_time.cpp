// How much faster than real time the bench car runs, with sampling on, and what each part costs a simulated second.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <chrono>
#include <cstdio>

#include "benchcar/VirtualBus.h"
#include "benchcar/cars/Factory.h"
#include "core/job/Drive.h"

using namespace brusk;

namespace {

double seconds(auto work) {
    const auto begun = std::chrono::steady_clock::now();
    work();
    return std::chrono::duration<double>(std::chrono::steady_clock::now() - begun).count();
}

constexpr double kSimulated_s = 300;
constexpr size_t kChannels = 40;

/// A drive with the controller's commands recorded, then the plant alone under the same commands, then the controller
/// alone on the same readings: what each costs.
struct Parts {
    double plant_s = 0;
    double controller_s = 0;
};

Parts costs() {
    benchcar::ControllerMemory memory;
    benchcar::programFlash(memory, *benchcar::modelNamed("heron"));
    benchcar::Controller controller(memory);
    controller.powerUp();
    benchcar::Plant plant(benchcar::kHeronFitted, 1);
    plant.setRoute(*benchcar::routeNamed("survey"));
    const int steps = static_cast<int>(kSimulated_s * 100);
    std::vector<benchcar::SensorReadings> readings;
    std::vector<benchcar::ActuatorCommands> commands;
    for (int i = 0; i < steps; ++i) {
        commands.push_back(commands.empty() ? benchcar::ActuatorCommands{} : commands.back());
        for (int ms = 0; ms < 10; ++ms)
            plant.step(commands.back());
        readings.push_back(plant.sensors());
        commands.back() = controller.step(readings.back(), true);
    }
    Parts out;
    benchcar::Plant again(benchcar::kHeronFitted, 1);
    again.setRoute(*benchcar::routeNamed("survey"));
    out.plant_s = seconds([&] {
        for (const auto& command : commands) {
            for (int ms = 0; ms < 10; ++ms)
                again.step(command);
            again.sensors();
        }
    });
    controller.powerUp();
    out.controller_s = seconds([&] {
        for (const auto& reading : readings)
            controller.step(reading, true);
    });
    return out;
}

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
    for (const std::string& name : job::channelsWithRole(*(*kit)->definition))
        if (all.size() < kChannels) all.push_back(name);
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
    const Parts parts = costs();
    std::printf("plant %.2f ms, controller %.2f ms, bus with diagnostics and sampling %.2f ms a simulated second\n",
                parts.plant_s / kSimulated_s * 1000, parts.controller_s / kSimulated_s * 1000,
                (sampled_s - car_s) / kSimulated_s * 1000);
    std::printf("plant and controller alone: %.0f times real time, %.2f ms a simulated second\n", kSimulated_s / car_s,
                car_s / kSimulated_s * 1000);
    std::printf("with bus, diagnostics and sampling: %.0f times real time, %.2f ms a simulated second\n",
                kSimulated_s / sampled_s, sampled_s / kSimulated_s * 1000);
    return 0;
}
