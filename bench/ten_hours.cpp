// Ten hours of mixed use in one recording, as fast as the bench car can: memory while it grows, what the traffic log
// keeps, and how long the file takes to open.
//
//   bench_ten_hours [HOURS]
// SPDX-License-Identifier: GPL-3.0-or-later
#include <unistd.h>

#include <cstdio>
#include <cstdlib>
#include <string>

#include "Timing.h"
#include "benchcar/VirtualBus.h"
#include "core/job/Drive.h"
#include "core/job/Guards.h"
#include "core/link/Traffic.h"
#include "core/recording/Mdf4.h"

using namespace brusk;

int main(int argc, char** argv) {
    const double hours = argc > 1 ? std::atof(argv[1]) : 10;
    storage::RealFileSystem files;
    const auto kit = job::loadKit(files, BRUSK_DATA_DIR "/heron/aldine-e2.profile.json");
    if (!kit) return std::fprintf(stderr, "%s\n", kit.error().text().c_str()), 1;
    benchcar::BenchCar car(benchcar::kHeronFitted, 1);
    benchcar::VirtualBus bus(car);
    link::TrafficLog traffic;
    bus.watch([&](const link::CanFrame& frame, bool ours) { traffic.add(frame, ours); });
    link::Uds uds(bus, (*kit)->profile);
    const storage::Path folder = storage::Path("/tmp") / ("brusk-ten-hours-" + std::to_string(::getpid()));
    if (auto done = files.makeFolder(folder); !done)
        return std::fprintf(stderr, "%s\n", done.error().text().c_str()), 1;
    const storage::Path file = folder / "drive.mf4";

    job::DriveOptions options;
    options.title = "Ten hours";
    options.guards = job::guardsFor(**kit, {}).guards;
    auto names = job::usualChannels(*(*kit)->definition);
    if (const auto asked = job::channelsAskedFor(**kit, options.guards, {}))
        names.insert(names.end(), asked->begin(), asked->end());
    const auto channels = job::channelSet(**kit, names);
    if (!channels) return std::fprintf(stderr, "%s\n", channels.error().text().c_str()), 1;
    std::printf("%zu channels at %.0f Hz\n     time   memory, MB   frames kept   dropped\n",
                channels->measurements.size(), channels->rate_hz);
    double next_s = 60;
    options.ends = [&](double elapsed_s) -> std::optional<job::Ended> {
        if (elapsed_s >= next_s) {
            std::printf("%8.0f s   %10.1f   %11llu   %llu\n", elapsed_s,
                        static_cast<double>(bench::memory_kb().first) / 1e3,
                        static_cast<unsigned long long>(traffic.next() - traffic.dropped()),
                        static_cast<unsigned long long>(traffic.dropped()));
            std::fflush(stdout);
            next_s = next_s < 600 ? 600 : next_s < 3600 ? 3600 : next_s + 3600;
        }
        return elapsed_s < hours * 3600 && car.onRoute() ? std::nullopt : std::optional(job::Ended::Asked);
    };
    car.startRoute(*benchcar::routeNamed("mixed"));
    Result<job::DriveOutcome> outcome = fail(ErrorCode::Broken, "not driven");
    const double took_s =
        bench::seconds([&] { outcome = job::recordFile(uds, **kit, files, file, *channels, options); });
    if (!outcome || outcome->problem) return std::fprintf(stderr, "the drive failed\n"), 1;
    std::printf("%lld rows, %zu gaps, %zu marks in %.0f s: %.0f times real time; %.0f MB\n",
                static_cast<long long>(outcome->entry.samples), outcome->gaps.size(), outcome->marks.size(), took_s,
                outcome->entry.duration_s / took_s, static_cast<double>(files.map(file).value()->bytes().size()) / 1e6);
    double sum = 0;
    const double open_s = bench::seconds([&] {
        const auto mapped = files.map(file);
        const auto recording =
            mapped ? recording::openMdf4(*mapped) : Result<recording::Recording>(fail(ErrorCode::Broken, ""));
        if (recording) sum = recording->duration_s();
    });
    std::printf("opened in %.3f s, %.0f s long\n", open_s, sum);
    (void)files.remove(file);
    ::rmdir(folder.c_str());
    return sum > 0 ? 0 : 1;
}
