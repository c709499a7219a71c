// Jobs on all processors.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <algorithm>
#include <atomic>
#include <functional>
#include <thread>
#include <vector>

namespace brusk::ctl {

/// Each job is done once; returns when all are.
inline void onAll(size_t jobs, const std::function<void(size_t)>& work) {
    std::atomic<size_t> next{0};
    std::vector<std::thread> threads;
    for (unsigned n = 0; n < std::max(1U, std::thread::hardware_concurrency()); ++n)
        threads.emplace_back([&] {
            for (size_t i = next++; i < jobs; i = next++)
                work(i);
        });
    for (auto& thread : threads)
        thread.join();
}

}  // namespace brusk::ctl
