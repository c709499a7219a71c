// How long a definition of 100,000 parameters and 100,000 measurements takes to read, against a plain scan of the same
// bytes for newlines in the same run; how much memory it holds, against the file.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <malloc.h>

#include <algorithm>
#include <chrono>
#include <cstdio>
#include <fstream>

#include "LargeDefinition.h"
#include "core/calibration/Compare.h"
#include "core/calibration/SharedBytes.h"
#include "core/definition/A2lReader.h"
#include "core/definition/Finder.h"

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

/// A keystroke in the finder, and opening a map, each with its share of a frame of 60 a second.
bool searchAndOpen(const std::string& text) {
    using namespace brusk;
    constexpr double kFrame = 1.0 / 60;
    auto contents = definition::readA2l(text);
    if (!contents) return false;
    const auto d = std::make_shared<const definition::Definition>(std::move(contents->definition));
    double from = seconds();
    const definition::Finder finder(d);
    std::printf("finder built in %.0f ms\n", (seconds() - from) * 1e3);
    for (const char* query : {"boost target full load", "Pedal_ramp_c", "0x12c4", "volumetrc overnu", "e"}) {
        double worst = 0;
        size_t total = 0;
        const std::string_view typed = query;
        for (size_t n = 1; n <= typed.size(); ++n) {
            from = seconds();
            total = finder.find(typed.substr(0, n), 500).total;
            worst = std::max(worst, seconds() - from);
        }
        std::printf("  \"%s\": slowest keystroke %.2f ms, %.2f of a frame; %zu found\n", query, worst * 1e3,
                    worst / kFrame, total);
    }
    image::Image image;
    Bytes bytes(0x1000 + 100000 * 16 + 0x1000, 0x11);
    bytes[0] = bytes[0x40] = 16;
    if (!image.add(0, bytes)) return false;
    const calibration::Calibration calibration(d, image);
    from = seconds();
    int opened = 0;
    for (size_t i = 0; i < d->parameters.size() && opened < 1000; ++i)
        if (d->parameters[i].kind == definition::Parameter::Kind::Map)
            opened += calibration.read(d->parameters[i]).has_value();
    const double each = (seconds() - from) / std::max(1, opened);
    std::printf("reading a map of 16 x 16: %.1f us, %.4f of a frame (%d maps)\n", each * 1e6, each / kFrame, opened);
    from = seconds();
    const calibration::SharedBytes shared(calibration);
    std::printf("what lies on the same bytes, all parameters: %.0f ms\n", (seconds() - from) * 1e3);
    from = seconds();
    const auto differences = calibration::compare(calibration, calibration);
    std::printf("comparing two calibrations: %.0f ms, %zu differ\n", (seconds() - from) * 1e3, differences.size());
    return true;
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
    std::printf(
        "file %.1f MB; newline scan %.1f ms (%.1f GB/s); read %.0f ms (%.0f MB/s): %.1f times the scan; "
        "memory %.2f times the file\n",
        size, scan * 1e3, size / scan / 1e3, read * 1e3, size / read, read / scan, held / size);
    return searchAndOpen(text) ? 0 : 1;
}
