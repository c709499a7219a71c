// A gigabyte of measurements, twice: twenty channels of six million rows, and four hundred channels at three rates.
// Each is opened and its first lanes drawn from a disk whose cache is empty, and again from a warm one, in a process of
// its own, so that its memory is its own.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <fcntl.h>
#include <unistd.h>

#include <cstdlib>
#include <cstring>
#include <random>
#include <string>

#include "Timing.h"
#include "core/recording/ImportPlan.h"
#include "core/recording/Mdf4.h"

using namespace brusk;
using namespace brusk::bench;
using recording::Column;
using recording::Recording;

namespace {

void addGroup(Recording& out, double rate_hz, double length_s, size_t channels, bool wide) {
    auto& group = out.groups.emplace_back();
    group.name = std::to_string(static_cast<int>(rate_hz)) + " Hz";
    const auto rows = static_cast<size_t>(rate_hz * length_s);
    recording::Numbers<double> time(rows);
    for (size_t i = 0; i < rows; ++i)
        time[i] = static_cast<double>(i) / rate_hz;
    group.time_s = recording::Clock(std::move(time));
    std::mt19937 random(static_cast<unsigned>(channels));
    for (size_t c = 0; c < channels; ++c) {
        recording::Numbers<double> values(rows);
        for (size_t i = 0; i < rows; ++i)
            values[i] = static_cast<double>(random() % 4000) * 0.05 + static_cast<double>(i % 5000) * 0.01;
        const std::string name = group.name + " " + std::to_string(c);
        Column column =
            wide ? Column(std::move(values)) : Column(recording::Numbers<float>(values.begin(), values.end()));
        group.channels.push_back({name, "kPa", "", "", std::move(column)});
    }
}

int make(const std::string& path, bool mixed) {
    Recording all;
    if (mixed) {
        constexpr double kLength_s = 4200;
        addGroup(all, 1000, kLength_s, 40, false);
        addGroup(all, 100, kLength_s, 160, false);
        addGroup(all, 10, kLength_s, 200, false);
    } else {
        addGroup(all, 1000, 6000, 20, true);
    }
    storage::RealFileSystem files;
    return recording::saveMdf4(files, path, all) ? 0 : 1;
}

void forgetCache(const std::string& path) {
    const int file = ::open(path.c_str(), O_RDONLY);
    ::fsync(file);
    ::posix_fadvise(file, 0, 0, POSIX_FADV_DONTNEED);
    ::close(file);
}

/// As the window opens a file and draws the first four channels that it has.
int open(const std::string& path, const char* what) {
    storage::RealFileSystem files;
    Recording shown;
    const double opened = seconds([&] {
        const auto file = recording::ImportFile::open("large", *files.map(path));
        const auto plan = file->plan();
        shown = *file->recording(*plan);
    });
    const auto [openKb, unused] = memory_kb();
    const double drawn = seconds([&] {
        std::vector<Column> lanes = {shown.groups[0].time_s.column()};
        for (size_t c = 0; c < 4; ++c)
            lanes.push_back(shown.groups[0].channels[c].values);
        recording::decode(lanes);
        for (size_t c = 1; c < lanes.size(); ++c)
            (void)lanes[c].pyramid();
    });
    const auto [lanesKb, alsoUnused] = memory_kb();
    size_t channels = 0, rows = 0;
    for (const auto& group : shown.groups) {
        channels += group.channels.size();
        rows = std::max(rows, group.time_s.size());
    }
    // All channels once, none of them kept: as "recording info" does.
    size_t samples = 0;
    const double all = seconds([&] {
        for (const auto& group : shown.groups) {
            std::vector<Column> columns;
            for (const auto& channel : group.channels)
                columns.push_back(channel.values);
            for (const auto& one : recording::summariesOf(columns))
                samples += one.count;
        }
    });
    const auto [allKb, lastUnused] = memory_kb();
    std::printf(
        "  %s: %zu channels, up to %zu rows; opened in %.2f s (%ld MB of its own), four lanes after %.2f s more "
        "(%ld MB), every sample looked at once %.2f s (%ld MB, %zu numbers)\n",
        what, channels, rows, opened, openKb / 1024, drawn, lanesKb / 1024, all, allKb / 1024, samples);
    return 0;
}

}  // namespace

int main(int argc, char** argv) {
    if (argc == 4 && std::strcmp(argv[1], "make") == 0) return make(argv[2], argv[3] == std::string("mixed"));
    if (argc == 4 && std::strcmp(argv[1], "open") == 0) return open(argv[2], argv[3]);
    storage::RealFileSystem files;
    const auto folder = *files.makeTemporaryFolder();
    const std::string self = argv[0];
    int failed = 0;
    for (const std::string kind : {"even", "mixed"}) {
        const std::string path = (folder / (kind + ".mf4")).string();
        failed += std::system((self + " make " + path + " " + kind).c_str());
        std::printf("%s, %.2f GB\n",
                    kind == "even" ? "Twenty channels" : "Four hundred channels at 1000, 100 and 10 Hz",
                    static_cast<double>(files.stamp(path).size) / 1e9);
        std::fflush(stdout);
        forgetCache(path);
        failed += std::system((self + " open " + path + " cold").c_str());
        failed += std::system((self + " open " + path + " warm").c_str());
    }
    (void)files.removeFolder(folder);
    return failed == 0 ? 0 : 1;
}
