// Threads that live as long as the work: starting one costs some ten microseconds, pieces are milliseconds.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/Parallel.h"

#include <algorithm>
#include <atomic>
#include <system_error>
#include <thread>
#include <vector>

namespace brusk {

namespace {
std::atomic<size_t> wanted{0};
}

size_t threads() {
    // The operating system is asked once: each time it reads a file for it.
    static const size_t there = std::max(1u, std::thread::hardware_concurrency());
    const size_t said = wanted;
    return said ? said : there;
}

void setThreads(size_t count) {
    wanted = count;
}

void inParallel(size_t count, const std::function<void(size_t)>& work) {
    std::atomic<size_t> next{0};
    const auto run = [&] {
        for (size_t i = next++; i < count; i = next++)
            work(i);
    };
    std::vector<std::thread> helpers;
    for (size_t i = 1; i < std::min(count, threads()); ++i) {
        try {
            helpers.emplace_back(run);
        } catch (const std::system_error&) {
            break;  // no more threads to be had: the others do it
        }
    }
    run();
    for (std::thread& helper : helpers)
        helper.join();
}

}  // namespace brusk
