// The axis check over drawn cars: a right definition is left alone, another channel along an axis and a scaling three
// per cent off are named with map and axis.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <cmath>

#include "DrivenKit.h"
#include "core/evidence/Replay.h"

using namespace brusk;

namespace {

using evidence::AxisMismatch;

std::vector<AxisMismatch> found(const definition::Definition& d, const image::Image& image,
                                const std::shared_ptr<const recording::Recording>& drive) {
    return evidence::checkAxes({std::make_shared<const definition::Definition>(d), image}, evidence::Drives({drive}))
        .found;
}

/// As found: this parameter, this axis, and nothing else.
bool onlyNames(const std::vector<AxisMismatch>& all, const std::string& parameter, size_t axis,
               AxisMismatch::Kind kind) {
    return all.size() == 1 && all[0].parameter == parameter && all[0].axis == axis && all[0].kind == kind;
}

definition::Definition withInput(const definition::Definition& from, roles::Role table, size_t axis,
                                 roles::Role input) {
    definition::Definition out = from;
    for (auto& p : out.parameters)
        if (table == p.role) p.axes[axis].input = from.measurementWithRole(input)->name;
    out.index();
    return out;
}

std::shared_ptr<const recording::Recording> scaled(const recording::Recording& from, roles::Role role, float factor) {
    auto out = std::make_shared<recording::Recording>(from);
    for (auto& channel : out->groups[0].channels)
        if (role == channel.role)
            for (float& v : channel.values.edit())
                v *= factor;
    return out;
}

}  // namespace

int main(int argc, char** argv) {
    const uint64_t cars = argc > 1 ? std::strtoull(argv[1], nullptr, 10) : 10;
    std::puts(
        "| model, route | right: drives with a word | filling said to follow the weather: named | pressure expected "
        "said "
        "to follow the pedal: named | pressure 3 % too high: named | and by how much, at worst off by |\n"
        "| --- | ---: | ---: | ---: | ---: | ---: |");
    for (const char* model : {"heron", "crane"})
        for (const char* route : {"town", "pulls-3"}) {
            int words = 0, weather = 0, pedal = 0, scale = 0;
            double worst = 0;
            for (uint64_t seed = 1; seed <= cars; ++seed) {
                const auto build = bench::drawnBuild(model, seed);
                const auto kit = bench::kitOf(build);
                benchcar::BenchCar car(build, seed);
                const auto image = bench::calibrationOf(*kit, car).image();
                const auto drive = bench::drive(car, {kit}, {route}).recordings[0];
                const auto& d = *kit->definition;
                const std::string ve = d.parameterWithRole("ve_map")->name,
                                  expected = d.parameterWithRole("expected_pressure")->name;
                words += !found(d, image, drive).empty();
                weather += onlyNames(found(withInput(d, "ve_map", 1, "barometric_pressure"), image, drive), ve, 1,
                                     AxisMismatch::Kind::OtherChannel);
                pedal += onlyNames(found(withInput(d, "expected_pressure", 1, "pedal"), image, drive), expected, 1,
                                   AxisMismatch::Kind::OtherChannel);
                const auto three = found(d, image, scaled(*drive, "manifold_pressure", 1.03f));
                if (!onlyNames(three, ve, 1, AxisMismatch::Kind::Scaled)) continue;
                ++scale;
                worst = std::max(worst, std::abs(three[0].factor * 1.03 - 1) * 100);
            }
            std::printf("| %s, %s | %d of %llu | %d | %d | %d | %.1f points |\n", model, route, words,
                        static_cast<unsigned long long>(cars), weather, pedal, scale, worst);
        }
    return 0;
}
