// How long a definition of 100,000 parameters and 100,000 measurements takes to read, against a plain scan of the same
// bytes for newlines in the same run; how much memory it holds, against the file.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <malloc.h>

#include <algorithm>
#include <chrono>
#include <cstdio>
#include <fstream>

#include "LargeDefinition.h"
#include "core/definition/A2lReader.h"

namespace {

double seconds() {
    return std::chrono::duration<double>(std::chrono::steady_clock::now().time_since_epoch()).count();
}

/// The plain scan: as fast as this processor counts a byte value.
__attribute__((optimize("O3"))) long countNewlines(const std::string& text) {
    long lines = 0;
    for (size_t at = 0; at < text.size();) {
        const size_t end = std::min(text.size(), at + 255 * 16);
        // Sixteen counters of a byte each, so that the compiler keeps them in one register.
        uint8_t counts[16] = {};
        for (; at + 16 <= end; at += 16)
            for (size_t k = 0; k < 16; ++k)
                counts[k] = static_cast<uint8_t>(counts[k] + (text[at + k] == '\n'));
        for (const uint8_t count : counts)
            lines += count;
        for (; end == text.size() && at < end; ++at)
            lines += text[at] == '\n';
    }
    return lines;
}

double residentMegabytes() {
    std::ifstream file("/proc/self/statm");
    long total = 0, resident = 0;
    file >> total >> resident;
    return static_cast<double>(resident) * 4096 / 1e6;
}

}  // namespace

int main() {
    using namespace brusk;
    const std::string text = bench::largeDefinition(100000);
    const double size = static_cast<double>(text.size()) / 1e6;
    double scan = 1e9, read = 1e9, held = 0;
    for (int round = 0; round < 3; ++round) {
        double from = seconds();
        const long lines = countNewlines(text);
        scan = std::min(scan, seconds() - from);
        std::string copy = text;
        malloc_trim(0);
        const double before = residentMegabytes() - size;
        from = seconds();
        const auto contents = definition::readA2l(std::move(copy));
        read = std::min(read, seconds() - from);
        held = std::max(held, residentMegabytes() - before);
        if (lines != std::count(text.begin(), text.end(), '\n')) return 1;
        if (!contents || contents->diagnostics.size() || contents->definition.parameters.size() != 100002) {
            std::printf("the definition was not read (%ld lines)\n", lines);
            return 1;
        }
    }
    std::printf("file %.1f MB; newline scan %.1f ms (%.1f GB/s); read %.0f ms (%.0f MB/s): %.1f times the scan; "
                "memory %.2f times the file\n",
                size, scan * 1e3, size / scan / 1e3, read * 1e3, size / read, read / scan, held / size);
    return 0;
}
