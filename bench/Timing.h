// Times work against its limit in one run: the two take turns, and the quickest of each counts.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <algorithm>
#include <chrono>
#include <cstdio>
#include <initializer_list>
#include <limits>
#include <vector>

namespace brusk::bench {

inline double seconds(auto work) {
    const auto begun = std::chrono::steady_clock::now();
    work();
    return std::chrono::duration<double>(std::chrono::steady_clock::now() - begun).count();
}

/// The quickest of `rounds` of each piece of work, in turns.
template <class... Work>
std::vector<double> inTurns(int rounds, Work... work) {
    std::vector<double> best(sizeof...(Work), std::numeric_limits<double>::infinity());
    for (int round = 0; round < rounds; ++round) {
        size_t i = 0;
        ((best[i] = std::min(best[i], seconds(work)), ++i), ...);
    }
    return best;
}

/// Kilobytes that the process has in memory, and the most it had.
inline std::pair<long, long> memory_kb() {
    long now = 0, most = 0;
    char line[256];
    if (std::FILE* status = std::fopen("/proc/self/status", "r")) {
        while (std::fgets(line, sizeof line, status)) {
            std::sscanf(line, "RssAnon: %ld", &now);
            std::sscanf(line, "VmHWM: %ld", &most);
        }
        std::fclose(status);
    }
    return {now, most};
}

}  // namespace brusk::bench
