// How much faster than real time the bench car runs, with sampling on, what each part costs a simulated second, and
// what a drawn car costs more than the book's. Processor time: what else the machine does is not in it.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <cstdio>
#include <ctime>

#include "benchcar/VirtualBus.h"
#include "benchcar/cars/Factory.h"
#include "core/job/Drive.h"

using namespace brusk;

namespace {

double seconds(auto work) {
    const std::clock_t begun = std::clock();
    work();
    return static_cast<double>(std::clock() - begun) / CLOCKS_PER_SEC;
}

constexpr double kSimulated_s = 300;
constexpr size_t kChannels = 40;

/// A drive with the controller's commands recorded, then the plant alone under the same commands, then the controller
/// alone on the same readings: what each costs.
struct Parts {
    double plant_s = 0;
    double controller_s = 0;
};

Parts costs(const benchcar::Build& build) {
    benchcar::ControllerMemory memory;
    benchcar::programFlash(memory, *benchcar::modelNamed("heron"));
    benchcar::Controller controller(memory);
    controller.powerUp();
    benchcar::Plant plant(build, 1);
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
    benchcar::Plant again(build, 1);
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

/// Milliseconds of the processor for a simulated second.
struct Costs {
    double plant_ms = 0, controller_ms = 0, alone_ms = 0, recorded_ms = 0, sampled_ms = 0;
    size_t channels = 0, rows = 0;
};

Result<Costs> measure(const benchcar::Build& build, const job::Kit& kit) {
    const auto perSecond = [](double seconds) { return seconds / kSimulated_s * 1000; };
    const benchcar::Route& route = *benchcar::routeNamed("survey");
    Costs out;
    const Parts parts = costs(build);
    out.plant_ms = perSecond(parts.plant_s);
    out.controller_ms = perSecond(parts.controller_s);
    std::vector<std::string> names;
    for (const std::string& name : job::channelsWithRole(*kit.definition))
        if (names.size() < kChannels) names.push_back(name);
    const auto channels = job::channelSet(kit, names);
    if (!channels) return tl::unexpected(channels.error());
    out.channels = channels->measurements.size();

    // The car by itself, frames thrown away; then with its channels read where they lie, as `bench drive` does.
    for (const bool reads : {false, true}) {
        benchcar::BenchCar car(build, 1);
        car.startRoute(route);
        float sum = 0;
        const double took_s = seconds([&] {
            for (int i = 1; i <= static_cast<int>(kSimulated_s * 100); ++i) {
                car.advanceTo(i * 10000);
                while (car.nextFrame()) {
                }
                if (!reads) continue;
                for (const auto* m : channels->measurements)
                    sum += static_cast<float>(
                        definition::physicalOf(*kit.definition, *m, car.memory().at(m->address, 4).data()));
            }
        });
        (reads ? out.recorded_ms : out.alone_ms) = perSecond(took_s);
        if (reads && !(sum > 0)) return fail(ErrorCode::Broken, "Nothing was read.");
    }

    benchcar::BenchCar car(build, 1);
    benchcar::VirtualBus bus(car);
    link::Uds uds(bus, kit.profile);
    job::DriveRecorder recorder(uds, kit, *channels);
    car.startRoute(route);
    Done done;
    out.sampled_ms = perSecond(seconds([&] {
        done = recorder.start();
        if (done)
            done = recorder.poll(bus.now_us() + static_cast<int64_t>(kSimulated_s * 1e6),
                                 [&](size_t group, double, std::span<const float>) { out.rows += group == 0; });
    }));
    if (!done) return tl::unexpected(done.error());
    return out;
}

}  // namespace

int main() {
    storage::RealFileSystem files;
    const auto kit = job::loadKit(files, BRUSK_DATA_DIR "/heron/aldine-e2.profile.json");
    if (!kit) return std::fprintf(stderr, "%s\n", kit.error().text().c_str()), 1;
    std::printf("%.0f s simulated; milliseconds of the processor for a simulated second (times real time)\n",
                kSimulated_s);
    for (const bool drawn : {false, true}) {
        const auto cost = measure(drawn ? benchcar::oneOf(benchcar::kHeronFitted, 1) : benchcar::kHeronFitted, **kit);
        if (!cost) return std::fprintf(stderr, "%s\n", cost.error().text().c_str()), 1;
        const auto show = [](const char* what, double ms) {
            std::printf("  %-44s %.2f ms (%.0f)\n", what, ms, 1000 / ms);
        };
        std::printf("%s car, %zu channels at 100 Hz, %zu rows\n", drawn ? "a drawn" : "the book's", cost->channels,
                    cost->rows);
        show("plant", cost->plant_ms);
        show("controller", cost->controller_ms);
        show("car by itself", cost->alone_ms);
        show("recorded without a link, as by bench drive", cost->recorded_ms);
        show("sampled over bus and diagnostics", cost->sampled_ms);
    }
    return 0;
}
