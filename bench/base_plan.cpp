// How long a base takes to compute, with the demo's definition and with a hundred thousand parameters more, in one run.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <chrono>
#include <cstdio>

#include "LargeDefinition.h"
#include "benchcar/cars/Factory.h"
#include "core/definition/A2lReader.h"
#include "core/job/Garage.h"
#include "core/job/Keeping.h"
#include "core/proposals/BaseCalibration.h"
#include "core/proposals/Consistency.h"

namespace {

using namespace brusk;

constexpr int kRuns = 10;

/// The fastest of some runs, in milliseconds.
double planned_ms(const calibration::Calibration& calibration, const proposals::BuildSheet& sheet) {
    double best = 1e9;
    for (int run = 0; run < kRuns; ++run) {
        const auto from = std::chrono::steady_clock::now();
        const auto plan = proposals::planBase(calibration, sheet);
        if (!plan || plan->edits().empty() || !proposals::contradictions(plan->result, sheet).empty()) return -1;
        const std::chrono::duration<double, std::milli> took = std::chrono::steady_clock::now() - from;
        best = std::min(best, took.count());
    }
    return best;
}

}  // namespace

int main() {
    storage::RealFileSystem files;
    const auto kit = job::loadKit(files, BRUSK_DATA_DIR "/heron/aldine-e2.profile.json");
    const auto text = files.read(BRUSK_DATA_DIR "/heron/build-sheet.json");
    if (!kit || !text) return 1;
    const auto sheet = job::buildSheetFromJson(std::string(asText(*text)));
    benchcar::ControllerMemory memory;
    benchcar::programFlash(memory, *benchcar::modelNamed("heron"));
    image::Image image;
    if (!sheet || !image.add(benchcar::map::kFlash, Bytes(memory.flash().begin(), memory.flash().end()))) return 1;

    const std::string large = bench::largeDefinition(100000);
    std::string more = (*kit)->definition->source->text;
    const size_t first = large.find("/begin RECORD_LAYOUT"), last = large.find("/begin GROUP");
    more.insert(more.rfind("/end MODULE"), large.substr(first, last - first));
    auto read = definition::readA2l(std::move(more));
    if (!read) return 1;
    const auto many = std::make_shared<const definition::Definition>(std::move(read->definition));

    const double demo = planned_ms({(*kit)->definition, image}, *sheet), crowded = planned_ms({many, image}, *sheet);
    if (demo < 0 || crowded < 0) return 1;
    std::printf("a base of the demo's %zu parameters: %.1f ms; among %zu: %.1f ms, %.2f times\n",
                (*kit)->definition->parameters.size(), demo, many->parameters.size(), crowded, crowded / demo);
    return 0;
}
